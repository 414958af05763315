import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";

interface Props<Kind extends string> {
  kinds: readonly Kind[];
  by: Kind;
  choose: (kind: Kind) => void;
}

/** By which kind of thing a page tells what it tells. */
export function ToldBy<Kind extends string>({ kinds, by, choose }: Props<Kind>) {
  return (
    <TextField
      select
      size="small"
      value={by}
      sx={{ width: 150 }}
      slotProps={{ htmlInput: { "aria-label": "Told by" } }}
      onChange={(event) => {
        const kind = kinds.find((each) => each === event.target.value);
        if (kind) choose(kind);
      }}
    >
      {kinds.map((kind) => (
        <MenuItem key={kind} value={kind}>
          by {kind}
        </MenuItem>
      ))}
    </TextField>
  );
}
