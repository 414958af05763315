import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useDraft } from "../lots/useDraft";
import { countOf } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { OfPool } from "./queries";

/** Drafts the lot that has drives which belong to no pool join this one. */
export function AddDrives({ pool }: { pool: OfPool }) {
  const [count, setCount] = useState(String(pool.addable_drives));
  const draft = useDraft();
  const drives = Math.round(Number(count));
  const ready = drives >= 1 && drives <= pool.addable_drives;
  return (
    <Box
      component="form"
      aria-label="Add drives"
      sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap", mb: 1.5 }}
      onSubmit={(event) => {
        event.preventDefault();
        if (ready) draft.mutate({ kind: "grow_pool", form: { pool: pool.id, drives } });
      }}
    >
      <span>{countOf(pool.addable_drives, "drive")} of the array belong to no pool:</span>
      <TextField
        size="small"
        type="number"
        value={count}
        sx={{ width: 80 }}
        slotProps={{ htmlInput: { "aria-label": "Drives to add", min: 1, max: pool.addable_drives } }}
        onChange={(event) => {
          setCount(event.target.value);
        }}
      />
      <Button type="submit" variant="outlined" size="small" disabled={!ready || draft.isPending}>
        Have them join {pool.name}
      </Button>
      <ProblemAlert error={draft.error} />
    </Box>
  );
}
