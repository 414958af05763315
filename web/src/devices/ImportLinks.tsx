import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { resultOf } from "../jobs/followed";
import { JobNote } from "../jobs/JobNote";
import { useJob } from "../jobs/useJob";
import { Mark, type MarkKind } from "../parts/Mark";
import { ProblemAlert } from "../parts/ProblemAlert";
import { countOf } from "../parts/format";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";

type Answer = Schemas["ImportAnswer"];
type WrittenAs = "csv" | "yaml";

const MARKS: Record<string, MarkKind> = { done: "clear", would: "part", same: "unjudged", wrong: "over" };
const HINTS: Record<WrittenAs, string> = {
  csv: "address,user,password,fingerprint  or  array,pool,quota  in the first line",
  yaml: "links: and grants:, each a list",
};

/** Device links and grants from a file: a dry run says every row's outcome before anything is done. */
export function ImportLinks() {
  const [text, setText] = useState("");
  const [writtenAs, setWrittenAs] = useState<WrittenAs>("csv");
  const picker = useRef<HTMLInputElement>(null);
  const queries = useQueryClient();
  const send = useJob({
    ask: (dryRun: boolean) =>
      unwrap(api.POST("/api/exchange/import/", { body: { text, written_as: writtenAs, dry_run: dryRun } })),
    look: (job) => Promise.resolve(resultOf(job, "import_rows")),
    onSuccess: (answer) => {
      if (!answer.dry_run) void queries.invalidateQueries();
    },
  });
  const change = (next: string) => {
    setText(next);
    send.reset();
  };
  const read = async (file: File | undefined) => {
    if (!file) return;
    setWrittenAs(/\.ya?ml$/i.test(file.name) ? "yaml" : "csv");
    change(await file.text());
  };
  const result = send.isPending ? undefined : send.found;
  const tried = result?.dry_run === true;
  return (
    <Box
      component="section"
      aria-label="Import device links"
      sx={{
        maxWidth: 640,
        mt: 2,
        p: 2,
        border: "1px solid var(--line)",
        borderRadius: "6px",
        background: "var(--card)",
        display: "grid",
        gap: 1.5,
      }}
    >
      <Typography variant="h2" component="h2">
        Import links and grants
      </Typography>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center" }}>
        <TextField
          select
          label="Written as"
          value={writtenAs}
          onChange={(event) => {
            setWrittenAs(event.target.value === "yaml" ? "yaml" : "csv");
            send.reset();
          }}
          sx={{ width: 120 }}
        >
          <MenuItem value="csv">CSV</MenuItem>
          <MenuItem value="yaml">YAML</MenuItem>
        </TextField>
        <Button
          variant="outlined"
          onClick={() => {
            picker.current?.click();
          }}
        >
          Choose a file
        </Button>
        <input
          ref={picker}
          type="file"
          hidden
          accept=".csv,.yaml,.yml,text/csv"
          aria-label="File to import"
          onChange={(event) => void read(event.target.files?.[0])}
        />
      </Box>
      <TextField
        label="Text of the file"
        multiline
        minRows={3}
        maxRows={10}
        value={text}
        onChange={(event) => {
          change(event.target.value);
        }}
        helperText={HINTS[writtenAs]}
        slotProps={{ htmlInput: { className: "mono", spellCheck: false } }}
      />
      <ProblemAlert error={send.error} />
      {result && <Outcomes answer={result} />}
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button
          variant={tried ? "outlined" : "contained"}
          disabled={!text.trim() || send.isPending}
          onClick={() => {
            send.start(true);
          }}
        >
          See what would happen
        </Button>
        {tried && result.wrong < result.rows.length && (
          <Button
            variant="contained"
            disabled={send.isPending}
            onClick={() => {
              send.start(false);
            }}
          >
            {result.wrong ? "Import the rows that can be" : "Import"}
          </Button>
        )}
        <JobNote job={send} begun="Asking…" />
      </Box>
    </Box>
  );
}

type Row = Answer["rows"][number];

const keyOf = (row: Row) => `${row.place} ${row.subject}`;
const COLUMNS: readonly Column<Row>[] = [
  { key: "place", head: "Where", value: (row) => row.place, mono: true, width: 90 },
  { key: "subject", head: "What", value: (row) => `${row.kind} ${row.subject}` },
  {
    key: "outcome",
    head: "Outcome",
    value: (row) => `${row.outcome}: ${row.text}`,
    cell: (row) => (
      <>
        <Mark kind={MARKS[row.outcome] ?? "unjudged"} label={row.outcome} /> {row.text}
      </>
    ),
  },
];

function Outcomes({ answer }: { answer: Answer }) {
  return (
    <div>
      <Typography role="status" sx={{ mb: 0.5 }}>
        {answer.dry_run ? "Nothing was done yet. " : `${countOf(answer.done, "row")} done. `}
        {answer.wrong > 0 && `${String(answer.wrong)} of ${countOf(answer.rows.length, "row")} wrong.`}
      </Typography>
      <DataTable
        name="Rows"
        columns={COLUMNS}
        rows={answer.rows}
        rowKey={keyOf}
        empty="The file has no row."
      />
    </div>
  );
}
