import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { queryOptions } from "../api/client";

const MIB = 2 ** 20;

/** What a package asks for of the machine; nothing where it asks for nothing. */
export interface Asked {
  processors?: string;
  memory?: string;
}

interface Props {
  label: string;
  /** `image:…`, `disk:…` or `linked:…` with a primary key; empty for an empty disk. */
  value: string;
  choose: (value: string, asked: Asked) => void;
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
  // One that is made from a disk was begun at its machine, and stays so: copied, or linked to it.
  const disk = /^(?:disk|linked):(\d+)$/.exec(value)?.[1];
  const options = disk
    ? [[`disk:${disk}`, "a copy of a disk"], [`linked:${disk}`, "linked to that disk"], ...images]
    : images;
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
        const { value: key } = event.target;
        const source = sources?.find(({ id }) => `image:${String(id)}` === key);
        choose(key, {
          ...(source?.processors ? { processors: String(source.processors) } : {}),
          ...(source?.memory_bytes ? { memory: `${String(source.memory_bytes / MIB)} MiB` } : {}),
        });
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
