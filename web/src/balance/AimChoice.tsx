import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import { useId } from "react";
import type { Aim } from "./queries";

/** As typed: no number yet is none. */
export interface TypedAim {
  even: boolean;
  gain: string;
}

export const CLEARING: TypedAim = { even: false, gain: "1" };

/** What the server is asked for; null while it is not meant. */
export function aimOf({ even, gain }: TypedAim): Aim | null {
  const points = Number(gain.replace(",", "."));
  if (!even) return {};
  return points > 0 && points <= 10_000 ? { aim: "even", least_gain: points } : null;
}

interface Props {
  value: TypedAim;
  onChange: (value: TypedAim) => void;
}

/** Whether a plan evens out beside clearing, and what that has to gain. */
export function AimChoice({ value, onChange }: Props) {
  const help = useId();
  const wrong = aimOf(value) === null;
  return (
    <Box sx={{ display: "inline-flex", alignItems: "center", gap: 1, flexWrap: "wrap" }}>
      <FormControlLabel
        sx={{ mr: 0 }}
        control={
          <Checkbox
            size="small"
            checked={value.even}
            onChange={(_event, even) => {
              onChange({ ...value, even });
            }}
          />
        }
        label="Even out too"
      />
      {value.even && (
        <>
          <TextField
            label="Points per TiB"
            size="small"
            fullWidth={false}
            sx={{ width: 112 }}
            value={value.gain}
            error={wrong}
            slotProps={{ htmlInput: { "aria-describedby": help, inputMode: "decimal" } }}
            onChange={(event) => {
              onChange({ ...value, gain: event.target.value });
            }}
          />
          <Box id={help} component="span" sx={{ fontSize: 12, color: "var(--mute)", maxWidth: 190 }}>
            {wrong
              ? "More than 0, up to 10,000."
              : "by which each TiB moved has to lower the highest fill and load"}
          </Box>
        </>
      )}
    </Box>
  );
}
