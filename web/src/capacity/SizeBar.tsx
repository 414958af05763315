import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useDraft } from "../lots/useDraft";
import { countOf } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { Row } from "./queries";

/** Ways to say how far, each with the lot that goes there and what is typed for it. */
const WAYS = {
  by: { kind: "grow", how: "by", label: "grow by", example: "1 TiB" },
  to: { kind: "grow", how: "to", label: "grow to a size of", example: "8 TiB" },
  fill: { kind: "grow", how: "fill", label: "grow to a fill of", example: "75 %" },
  days: { kind: "grow", how: "days", label: "grow to a runway of days", example: "90" },
  rest: { kind: "grow", how: "rest", label: "grow to what its volume has", example: "" },
  smallerTo: { kind: "shrink", how: "to", label: "shrink to a size of", example: "4 TiB" },
  smallerFill: { kind: "shrink", how: "fill", label: "shrink to a fill of", example: "75 %" },
  anew: { kind: "remake", how: "to", label: "empty and make anew with", example: "4 TiB" },
} as const;
type Way = keyof typeof WAYS;

/** Drafts a lot that gives the chosen datastores another size: each link of the chain in its turn. */
export function SizeBar({ chosen, none }: { chosen: readonly Row[]; none: () => void }) {
  const [how, setHow] = useState<Way>("by");
  const [typed, setTyped] = useState("");
  const [amount, setAmount] = useState("");
  const draft = useDraft();
  const way = WAYS[how];
  const datastores = chosen.map((row) => row.id);
  // What is made anew loses its volume: one at a time, by its name.
  const only = way.kind === "remake" && chosen.length === 1 ? chosen[0] : undefined;
  const unready = way.kind === "remake" ? typed.trim() !== only?.name : false;
  return (
    <Box
      component="form"
      aria-label="Size of chosen datastores"
      sx={{ display: "flex", gap: 1.25, flexWrap: "wrap", alignItems: "center", my: 1 }}
      onSubmit={(event) => {
        event.preventDefault();
        draft.mutate(
          way.kind === "remake"
            ? { kind: way.kind, form: { datastore: only?.id ?? null, size: amount, confirm: typed } }
            : { kind: way.kind, form: { datastores, how: way.how, amount } },
        );
      }}
    >
      <b>{countOf(chosen.length, "datastore")}</b>
      <TextField
        select
        size="small"
        value={how}
        sx={{ width: 240 }}
        slotProps={{ htmlInput: { "aria-label": "How far it is said" } }}
        onChange={(event) => {
          setHow(event.target.value as Way);
        }}
      >
        {(Object.keys(WAYS) as Way[]).map((each) => (
          <MenuItem key={each} value={each}>
            {WAYS[each].label}
          </MenuItem>
        ))}
      </TextField>
      {how !== "rest" && (
        <TextField
          size="small"
          value={amount}
          placeholder={way.example}
          sx={{ width: 120 }}
          slotProps={{ htmlInput: { "aria-label": "How far", maxLength: 40 } }}
          onChange={(event) => {
            setAmount(event.target.value);
          }}
        />
      )}
      {way.kind === "remake" && !only && <span>one at a time: choose a single datastore</span>}
      {only && (
        <TextField
          size="small"
          label={`Type ${only.name}: its volume is deleted`}
          value={typed}
          fullWidth={false}
          sx={{ width: 280 }}
          autoComplete="off"
          onChange={(event) => {
            setTyped(event.target.value);
          }}
        />
      )}
      <Button
        type="submit"
        variant="contained"
        disabled={draft.isPending || unready || (how !== "rest" && !amount.trim())}
      >
        Draft the lot
      </Button>
      <Button onClick={none}>Choose none</Button>
      <ProblemAlert error={draft.error} />
    </Box>
  );
}
