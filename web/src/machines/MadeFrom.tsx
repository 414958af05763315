import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { queryOptions } from "../api/client";

interface Props {
  label: string;
  /** `image:…` or `disk:…` with a primary key; empty for an empty disk. */
  value: string;
  choose: (value: string) => void;
  fixed: boolean;
  wrong: string | undefined;
}

/** What a new disk is made from: nothing, or an image that a datastore keeps. */
export function MadeFrom({ label, value, choose, fixed, wrong }: Props) {
  const { data: sources } = useQuery(queryOptions("get", "/api/images/sources/"));
  const images = (sources ?? []).map(({ id, name, datastore }) => [
    `image:${String(id)}`,
    `${name}, on ${datastore}`,
  ]);
  // One that is copied from a disk was begun at its machine, and stays what it is.
  const options =
    images.some(([key]) => key === value) || !value ? images : [[value, "a copy of a disk"], ...images];
  return (
    <TextField
      select
      size="small"
      fullWidth
      value={value}
      disabled={fixed}
      error={wrong !== undefined}
      helperText={wrong}
      slotProps={{ select: { displayEmpty: true, inputProps: { "aria-label": label } } }}
      onChange={(event) => {
        choose(event.target.value);
      }}
    >
      <MenuItem value="">nothing: empty</MenuItem>
      {options.map(([key, name]) => (
        <MenuItem key={key} value={key}>
          {name}
        </MenuItem>
      ))}
    </TextField>
  );
}
