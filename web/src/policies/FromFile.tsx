import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { CARD, CardHead } from "../parts/CardHead";
import { countOf } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useUnit } from "../parts/unit";
import { useChange } from "../parts/useChange";

type Imported = Schemas["ImportedPolicy"];

const keyOf = (row: Imported) => row.name;

/** Policies from a YAML file: what each would do is said first, then all of it is done, or none. */
export function FromFile() {
  const [text, setText] = useState("");
  const { size } = useUnit();
  const take = useChange((dryRun: boolean) =>
    unwrap(api.POST("/api/policies/import/", { body: { text, dry_run: dryRun } })),
  );
  const [tried, setTried] = useState<readonly Imported[] | null>(null);
  const send = (dryRun: boolean) => {
    take.mutate(dryRun, {
      onSuccess: (rows) => {
        setTried(dryRun ? rows : null);
      },
    });
  };
  const change = (next: string) => {
    setText(next);
    setTried(null);
    take.reset();
  };
  const labels = ({ labels_given: given, labels_taken: taken }: Imported) =>
    [...given.map((label) => `+ ${label}`), ...taken.map((label) => `− ${label}`)].join(", ");
  const effect = (row: Imported) =>
    row.out
      ? `${countOf(row.out, "disk")} out (${String(row.newly_out)} newly), ${size(row.move_bytes)} to move`
      : "";
  const columns: Column<Imported>[] = [
    { key: "name", head: "Policy", value: (row) => row.name, width: 170, sticky: true },
    { key: "does", head: "It would be", value: (row) => row.does, width: 130 },
    { key: "sentence", head: "Asks", value: (row) => row.sentence },
    { key: "labels", head: "Labels", value: labels, width: 200 },
    { key: "effect", head: "Then", value: effect, width: 240 },
  ];
  return (
    <Box component="section" aria-label="Policies from a file" sx={CARD}>
      <CardHead title="Policies from a file">{null}</CardHead>
      <Box sx={{ p: 1.5, display: "grid", gap: 1.5 }}>
        <Button component="label" variant="outlined" sx={{ justifySelf: "start" }}>
          Choose a file
          <input
            type="file"
            hidden
            aria-label="YAML file of policies"
            accept=".yaml,.yml"
            onChange={(event) => {
              const [file] = event.target.files ?? [];
              if (file) void file.text().then(change);
            }}
          />
        </Button>
        <TextField
          label="YAML"
          multiline
          minRows={6}
          maxRows={16}
          value={text}
          slotProps={{ htmlInput: { className: "mono", style: { fontSize: 12 } } }}
          onChange={(event) => {
            change(event.target.value);
          }}
        />
        <ProblemAlert error={take.error} />
        {tried && (
          <DataTable
            name="What the file would do"
            columns={columns}
            rows={tried}
            rowKey={keyOf}
            empty="The file has no policy."
          />
        )}
        {take.isSuccess && !tried && <Box role="status">■ Done: the board follows in a moment.</Box>}
        <Box sx={{ display: "flex", gap: 1 }}>
          <Button
            variant="outlined"
            disabled={!text || take.isPending}
            onClick={() => {
              send(true);
            }}
          >
            Say what it would do
          </Button>
          <Button
            variant="contained"
            disabled={!tried || take.isPending}
            onClick={() => {
              send(false);
            }}
          >
            Do it
          </Button>
        </Box>
      </Box>
    </Box>
  );
}
