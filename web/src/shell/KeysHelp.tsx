import Dialog from "@mui/material/Dialog";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import { useState } from "react";
import { Key } from "../parts/Key";
import { PAGES, STRIP } from "./pages";
import { keysAreOff, switchKeys } from "./useShortcuts";

type Line = readonly [string, string];
const FIRST: readonly Line[] = [
  ["/", "find anything"],
  ["?", "this list"],
];
const OTHERS: readonly Line[] = [
  ["J", "next row"],
  ["K", "previous row"],
  ["D", "draft a lot for the row"],
  ["T", "trace the row from disk to array"],
  ["C", "check the lot in the tray"],
  ["L", "fold or open the tray"],
  ["U", "TiB or TB"],
  ["R", "reread all devices"],
  ["Esc", "close"],
];

/** All keys, and whether they act. */
export function KeysHelp({ onClose }: { onClose: () => void }) {
  const [off, setOff] = useState(keysAreOff);
  const pages = [
    ...STRIP.map((page): Line => [`G ${(page.strip?.letter ?? "").toUpperCase()}`, page.name]),
    ...PAGES.flatMap(({ letter, name }): Line[] => (letter ? [[`G ${letter.toUpperCase()}`, name]] : [])),
  ];
  return (
    <Dialog open onClose={onClose} aria-labelledby="keys-title">
      <DialogTitle id="keys-title">Keys</DialogTitle>
      <DialogContent>
        <FormControlLabel
          sx={{ mb: 1 }}
          control={
            <Switch
              checked={!off}
              onChange={() => {
                switchKeys(!off);
                setOff(!off);
              }}
            />
          }
          label="Single keys act"
        />
        <dl style={{ display: "grid", gridTemplateColumns: "60px 220px", rowGap: 8, margin: 0 }}>
          {[...FIRST, ...pages, ...OTHERS].map(([key, meaning]) => (
            <div key={key} style={{ display: "contents" }}>
              <dt>
                <Key>{key}</Key>
              </dt>
              <dd style={{ margin: 0 }}>{meaning}</dd>
            </div>
          ))}
        </dl>
      </DialogContent>
    </Dialog>
  );
}
