import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useDraft } from "../lots/useDraft";
import { countOf } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";

/** Ways to say how far, each with what is typed for it. */
const WAYS = {
  by: { label: "by", example: "1 TiB" },
  to: { label: "to a size of", example: "8 TiB" },
  fill: { label: "to a fill of", example: "75 %" },
  days: { label: "to a runway of days", example: "90" },
  rest: { label: "to what its volume has", example: "" },
} as const;
type Way = keyof typeof WAYS;

/** Drafts a lot that grows the chosen datastores: each volume first, then each host sees it, then the datastore. */
export function GrowBar({ chosen, none }: { chosen: readonly number[]; none: () => void }) {
  const [how, setHow] = useState<Way>("by");
  const [amount, setAmount] = useState("");
  const draft = useDraft();
  const way = WAYS[how];
  return (
    <Box
      component="form"
      aria-label="Grow chosen datastores"
      sx={{ display: "flex", gap: 1.25, flexWrap: "wrap", alignItems: "center", my: 1 }}
      onSubmit={(event) => {
        event.preventDefault();
        draft.mutate({ kind: "grow", form: { datastores: [...chosen], how, amount } });
      }}
    >
      <b>Grow {countOf(chosen.length, "datastore")}</b>
      <TextField
        select
        size="small"
        value={how}
        sx={{ width: 200 }}
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
      <Button
        type="submit"
        variant="contained"
        disabled={draft.isPending || (how !== "rest" && !amount.trim())}
      >
        Draft the lot
      </Button>
      <Button onClick={none}>Choose none</Button>
      <ProblemAlert error={draft.error} />
    </Box>
  );
}
