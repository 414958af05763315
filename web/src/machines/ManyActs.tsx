import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { useDraft } from "../lots/useDraft";
import { countOf } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useChange } from "../parts/useChange";
import { PolicySelect } from "./PolicySelect";

interface Props {
  machines: readonly number[];
  onDone: () => void;
}

/** What is done with the machines that are chosen. */
export function ManyActs({ machines, onDone }: Props) {
  const [policy, setPolicy] = useState<number | null>(null);
  const [label, setLabel] = useState("");
  const give = useChange(
    () => unwrap(api.POST("/api/policies/given/", { body: { policy, machines: [...machines] } })),
    onDone,
  );
  const mark = useChange(
    (way: "add" | "remove") =>
      unwrap(api.POST("/api/machines/labels/", { body: { machines: [...machines], [way]: [label] } })),
    onDone,
  );
  const draft = useDraft();
  const busy = give.isPending || mark.isPending || draft.isPending;
  const power = (to: "on" | "off") => {
    draft.mutate({ kind: "power", form: { machines: [...machines], to } });
  };
  return (
    <Box
      component="section"
      aria-label="Chosen machines"
      sx={{
        display: "flex",
        gap: 1.5,
        alignItems: "center",
        flexWrap: "wrap",
        p: 1,
        mb: 1,
        border: "1px solid var(--line)",
        borderRadius: "6px",
        background: "var(--tideSoft)",
      }}
    >
      <strong>{countOf(machines.length, "machine")} chosen</strong>
      <Box sx={{ width: 190 }}>
        <PolicySelect label="Policy of the whole machine" value={policy} choose={setPolicy} />
      </Box>
      <Button
        variant="outlined"
        disabled={busy}
        onClick={() => {
          give.mutate();
        }}
      >
        {policy === null ? "Take it away" : "Give it"}
      </Button>
      <TextField
        label="Label, key=value"
        size="small"
        fullWidth={false}
        sx={{ width: 160 }}
        value={label}
        onChange={(event) => {
          setLabel(event.target.value);
        }}
      />
      <Button
        variant="outlined"
        disabled={busy || !label.trim()}
        onClick={() => {
          mark.mutate("add");
        }}
      >
        Add
      </Button>
      <Button
        variant="outlined"
        disabled={busy || !label.trim()}
        onClick={() => {
          mark.mutate("remove");
        }}
      >
        Remove
      </Button>
      <Button
        variant="outlined"
        disabled={busy}
        onClick={() => {
          power("on");
        }}
      >
        Switch on
      </Button>
      <Button
        variant="outlined"
        disabled={busy}
        onClick={() => {
          power("off");
        }}
      >
        Switch off
      </Button>
      <Button onClick={onDone}>Choose none</Button>
      <ProblemAlert error={give.error ?? mark.error ?? draft.error} />
    </Box>
  );
}
