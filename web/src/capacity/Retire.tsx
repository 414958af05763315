import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useDraft } from "../lots/useDraft";
import { CARD } from "../parts/CardHead";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { OfPool } from "./queries";

/** Drafts the lot that empties a pool, and others of its array with it, and takes them away. */
export function Retire({ pool }: { pool: OfPool }) {
  const draft = useDraft();
  const [others, setOthers] = useState<ReadonlySet<number>>(new Set());
  const [keep, setKeep] = useState(true);
  const [typed, setTyped] = useState("");
  const names = [
    pool.name,
    ...pool.neighbours.filter((each) => others.has(each.id)).map((each) => each.name),
  ];
  const wanted = [...names].sort().join(", ");
  const meant = keep || typed.trim() === wanted;
  return (
    <Box
      component="form"
      aria-label={`Retire ${pool.name}`}
      sx={{ ...CARD, p: "10px 14px", mb: 1.5 }}
      onSubmit={(event) => {
        event.preventDefault();
        if (!meant) return;
        draft.mutate({
          kind: "retire",
          form: { pools: [pool.id, ...others], keep, confirm: keep ? "" : typed },
        });
      }}
    >
      <Typography>
        Its disks and the own files of machines go to other datastores of their groups, hosts let go of its
        volumes, then these go. Machines run on. The lot shows each step before anything runs.
      </Typography>
      <Box sx={{ display: "flex", flexWrap: "wrap", columnGap: 2, alignItems: "center" }}>
        {pool.neighbours.map((each) => (
          <FormControlLabel
            key={each.id}
            label={`together with ${each.name}`}
            control={
              <Checkbox
                size="small"
                checked={others.has(each.id)}
                onChange={() => {
                  const next = new Set(others);
                  if (!next.delete(each.id)) next.add(each.id);
                  setOthers(next);
                }}
              />
            }
          />
        ))}
        <FormControlLabel
          label="keep the empty volumes and pools on the array, so that it can be undone"
          control={
            <Checkbox
              size="small"
              checked={keep}
              onChange={(event) => {
                setKeep(event.target.checked);
              }}
            />
          }
        />
      </Box>
      <Box sx={{ display: "flex", flexWrap: "wrap", gap: 1.5, alignItems: "center", mt: 0.75 }}>
        {!keep && (
          <TextField
            size="small"
            label={`Type ${wanted} to have it deleted`}
            value={typed}
            fullWidth={false}
            sx={{ width: 360 }}
            autoComplete="off"
            onChange={(event) => {
              setTyped(event.target.value);
            }}
          />
        )}
        <Button type="submit" variant="contained" disabled={draft.isPending || !meant}>
          Draft the lot
        </Button>
        {draft.isPending && <span style={{ color: "var(--mute)" }}>places for its disks are computed</span>}
      </Box>
      <ProblemAlert error={draft.error} />
    </Box>
  );
}
