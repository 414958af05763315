import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import type { Schemas } from "../api/problem";
import type { Bound } from "../lots/drafts/fields";
import { CARD, CardHead } from "../parts/CardHead";
import { formatMs, formatShare, formatSize } from "../parts/format";
import { useUnit } from "../parts/unit";
import { type Asked, MadeFrom } from "./MadeFrom";
import { PolicySelect } from "./PolicySelect";

type Form = Schemas["NewMachineForm"];
type Disk = Schemas["NewDiskForm"];
type Plan = Schemas["NewMachinePlan"];
type Proposed = Schemas["ProposedDisk"];

const EMPTY: Disk = { size: "", policy: null, iops: "", datastore: null, contents: "" };

interface Props {
  of: Bound<Form>;
  plan: Plan | undefined;
  /** The disk whose places are shown, from 0. */
  chosen: number;
  choose: (disk: number) => void;
}

/** The disks of each new machine, each with its policy, its place, and what becomes of that. */
export function NewDisks({ of, plan, chosen, choose }: Props) {
  const { form, change, fixed } = of;
  const { size, unit } = useUnit();
  const total = plan?.total_bytes ?? 0;
  const edit = (number: number, part: Partial<Disk>, asked: Asked = {}) => {
    change({ ...asked, disks: form.disks.map((disk, n) => (n === number ? { ...disk, ...part } : disk)) });
  };
  return (
    <Box component="section" aria-label="Disks" sx={{ ...CARD, mb: 1.5, overflowX: "auto" }}>
      <CardHead title="Disks">
        <span className="mono" style={{ color: "var(--mute)", fontSize: 12, flex: 1 }}>
          {total > 0 && `${size(total)} (${formatSize(total, unit === "TiB" ? "TB" : "TiB")})`}
        </span>
        <Button
          disabled={fixed}
          onClick={() => {
            change({ disks: [...form.disks, EMPTY] });
            choose(form.disks.length);
          }}
        >
          Add a disk
        </Button>
      </CardHead>
      <table aria-label="Disks" style={{ borderCollapse: "collapse", width: "100%", fontSize: 13 }}>
        <thead>
          <tr style={{ color: "var(--mute)", textAlign: "left", fontSize: 12 }}>
            {["", "Size", "Made from", "Policy", "IOPS at most", "Place", "Fill, peak hour", ""].map(
              (head, n) => (
                <th key={n} scope="col" style={{ padding: "6px 10px", fontWeight: 400 }}>
                  {head}
                </th>
              ),
            )}
          </tr>
        </thead>
        <tbody>
          {form.disks.map((disk, n) => (
            <DiskRow
              key={n}
              number={n}
              disk={disk}
              of={of}
              proposed={plan?.disks[n]}
              chosen={n === chosen}
              choose={() => {
                choose(n);
              }}
              edit={(part, asked) => {
                edit(n, part, asked);
              }}
              drop={() => {
                change({ disks: form.disks.filter((_, other) => other !== n) });
              }}
            />
          ))}
        </tbody>
      </table>
    </Box>
  );
}

interface RowProps {
  number: number;
  disk: Disk;
  of: Bound<Form>;
  proposed: Proposed | undefined;
  chosen: boolean;
  choose: () => void;
  edit: (part: Partial<Disk>, asked?: Asked) => void;
  drop: () => void;
}

function DiskRow({ number, disk, of, proposed, chosen, choose, edit, drop }: RowProps) {
  const { fixed, problems } = of;
  const label = `disk ${String(number + 1)}`;
  const wrong = (field: string) =>
    problems?.find((each) => each.field === `disks.${String(number)}.${field}`);
  const text = (name: "size" | "iops", head: string, width: number, instead: string) => (
    <TextField
      size="small"
      value={disk[name] ?? ""}
      placeholder={instead}
      disabled={fixed}
      error={!!wrong(name)}
      helperText={wrong(name)?.message}
      autoComplete="off"
      slotProps={{ htmlInput: { "aria-label": `${head} of ${label}` } }}
      sx={{ width }}
      onFocus={choose}
      onChange={(event) => {
        edit({ [name]: event.target.value });
      }}
    />
  );
  const cell = { padding: "6px 10px", borderTop: "1px solid var(--line)", verticalAlign: "top" } as const;
  return (
    <tr style={{ background: chosen ? "var(--tideSoft)" : undefined }}>
      <td style={cell}>
        <Button
          size="small"
          sx={{ minWidth: 32 }}
          aria-pressed={chosen}
          aria-label={`Places of ${label}`}
          onClick={choose}
        >
          {number + 1}
        </Button>
      </td>
      <td style={cell}>{text("size", "Size", 100, disk.contents ? "as that" : "80 GiB")}</td>
      <td style={{ ...cell, minWidth: 130 }}>
        <MadeFrom
          label={`Made from, ${label}`}
          value={disk.contents ?? ""}
          fixed={fixed}
          wrong={wrong("contents")?.message}
          choose={(contents, asked) => {
            choose();
            edit({ contents }, asked);
          }}
        />
      </td>
      <td style={{ ...cell, minWidth: 150 }}>
        <PolicySelect
          label={`Policy of ${label}`}
          named={false}
          value={disk.policy ?? null}
          disabled={fixed}
          choose={(policy) => {
            choose();
            edit({ policy });
          }}
        />
      </td>
      <td style={cell}>{text("iops", "IOPS", 90, "as others")}</td>
      <td style={{ ...cell, minWidth: 150 }}>
        {proposed ? <PlaceOf disk={proposed} typed={(disk.datastore ?? null) !== null} /> : "–"}
      </td>
      <td className="mono" style={{ ...cell, whiteSpace: "nowrap" }}>
        {proposed?.store ? (
          <>
            {formatShare(proposed.fill_before)} → {formatShare(proposed.fill)}
            <div>
              {formatMs(proposed.peak_before_ms)} → {formatMs(proposed.peak_ms)}
            </div>
          </>
        ) : (
          "–"
        )}
      </td>
      <td style={cell}>
        <Button
          size="small"
          disabled={fixed}
          aria-label={`Leave ${label} out`}
          sx={{ minWidth: 28 }}
          onClick={drop}
        >
          ×
        </Button>
      </td>
    </tr>
  );
}

/** Where it goes, and on what the expected load rests. */
function PlaceOf({ disk, typed }: { disk: Proposed; typed: boolean }) {
  const stores = [...new Set(disk.stores)];
  const nowhere = stores.includes("nowhere");
  return (
    <>
      <strong style={nowhere ? { color: "var(--buoyText)" } : undefined}>
        {nowhere && "▲ "}
        {stores.length > 3 ? `${stores.slice(0, 3).join(", ")} and more` : stores.join(", ")}
      </strong>
      <div style={{ color: "var(--mute)", fontSize: 12 }}>
        {typed ? "as chosen" : "proposed"}; {disk.expected}
      </div>
    </>
  );
}
