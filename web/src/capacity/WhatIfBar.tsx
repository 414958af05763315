import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { AS_IT_IS, type Row, type WhatIf } from "./queries";

const TIB = 2 ** 40;
const number = (text: string): number => {
  const value = Number(text.replace(",", "."));
  return Number.isFinite(value) ? value : 0;
};

interface Props {
  rows: readonly Row[];
  asked: WhatIf;
  change: (asked: WhatIf) => void;
}

/** What if growth were another, more came in, or room were added: all runways answer at once, nothing is stored. */
export function WhatIfBar({ rows, asked, change }: Props) {
  const changed = asked !== AS_IT_IS;
  const field = (label: string, value: string, take: (value: number) => Partial<WhatIf>, width = 118) => (
    <TextField
      size="small"
      type="number"
      label={label}
      value={value}
      sx={{ width }}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { step: "any" } }}
      onChange={(event) => {
        change({ ...asked, ...take(number(event.target.value)) });
      }}
    />
  );
  return (
    <Box
      component="section"
      aria-label="What if"
      sx={{ display: "flex", gap: 1.25, flexWrap: "wrap", alignItems: "center", mb: 1.5 }}
    >
      <b>What if</b>
      {field("growth, times", String(asked.growth), (growth) => ({
        growth: Math.min(10, Math.max(0, growth)),
      }))}
      {field("more comes in, TiB", String(asked.addBytes / TIB), (tib) => ({
        addBytes: Math.round(tib * TIB),
      }))}
      {field("in so many days", String(asked.inDays), (days) => ({
        inDays: Math.min(365, Math.max(0, Math.round(days))),
      }))}
      {field("room added, TiB", String(asked.roomBytes / TIB), (tib) => ({
        roomBytes: Math.round(tib * TIB),
      }))}
      <TextField
        select
        size="small"
        label="to which"
        value={asked.id === null ? "" : String(asked.id)}
        sx={{ width: 170 }}
        slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
        onChange={(event) => {
          change({ ...asked, id: Number(event.target.value) || null });
        }}
      >
        <MenuItem value="">each of them</MenuItem>
        {rows.map((row) => (
          <MenuItem key={row.id} value={String(row.id)}>
            {row.name}
          </MenuItem>
        ))}
      </TextField>
      {changed && (
        <Button
          size="small"
          onClick={() => {
            change(AS_IT_IS);
          }}
        >
          As it is
        </Button>
      )}
    </Box>
  );
}
