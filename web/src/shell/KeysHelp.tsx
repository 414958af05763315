import Dialog from "@mui/material/Dialog";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import { Key } from "./TopStrip";
import { useStatus } from "./useStatus";

type Line = readonly [string, string];
const FIRST: readonly Line[] = [
  ["/", "find anything"],
  ["?", "this list"],
];
const OTHERS: readonly Line[] = [
  ["G D", "Devices"],
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

/** All keys. */
export function KeysHelp({ onClose }: { onClose: () => void }) {
  const { data: status } = useStatus();
  const pages = (status?.tabs ?? []).map((tab): Line => [`G ${tab.letter.toUpperCase()}`, tab.name]);
  return (
    <Dialog open onClose={onClose} aria-labelledby="keys-title">
      <DialogTitle id="keys-title">Keys</DialogTitle>
      <DialogContent>
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
