import { useQuery } from "@tanstack/react-query";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { policiesQuery } from "./queries";

interface Props {
  /** Above it; only named for those who do not see it where `named` is not set. */
  label: string;
  named?: boolean;
  value: number | null;
  choose: (policy: number | null) => void;
  disabled?: boolean;
  /** What stands for no policy of its own. */
  none?: string;
}

/** One of the policies in force, or none. */
export function PolicySelect({ label, named = true, value, choose, disabled = false, none = "none" }: Props) {
  const { data: board } = useQuery(policiesQuery());
  return (
    <TextField
      select
      size="small"
      {...(named ? { label } : {})}
      value={value === null ? "" : String(value)}
      disabled={disabled}
      onChange={(event) => {
        choose(Number(event.target.value) || null);
      }}
      slotProps={{
        select: { displayEmpty: true, ...(named ? {} : { inputProps: { "aria-label": label } }) },
        inputLabel: { shrink: true },
      }}
    >
      <MenuItem value="">{none}</MenuItem>
      {(board?.policies ?? []).map((policy) => (
        <MenuItem key={policy.id} value={String(policy.id)}>
          {policy.name}
        </MenuItem>
      ))}
    </TextField>
  );
}
