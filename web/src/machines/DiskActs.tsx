import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { type ReactNode, useState } from "react";
import { type NewLot, useDraft } from "../lots/useDraft";
import { Typed } from "../parts/Typed";
import { CARD } from "../parts/CardHead";
import { ProblemAlert } from "../parts/ProblemAlert";
import { PolicySelect } from "./PolicySelect";
import type { Machine } from "./queries";

/** A disk more, one larger, or one deleted: each drafts a lot. */
export function DiskActs({ machine }: { machine: Machine }) {
  const [open, setOpen] = useState<"add" | "enlarge" | "limit" | "delete" | null>(null);
  const acts = [
    ["add", "Add a disk"],
    ["enlarge", "Enlarge a disk"],
    ["limit", "Limit a disk"],
    ["delete", "Delete a disk"],
  ] as const;
  return (
    <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", mb: 1.5 }}>
      {acts.map(([which, label]) => (
        <Button
          key={which}
          variant="outlined"
          aria-expanded={open === which}
          disabled={which !== "add" && machine.disks.length === 0}
          onClick={() => {
            setOpen(open === which ? null : which);
          }}
        >
          {label}
        </Button>
      ))}
      {open === "add" && <Add machine={machine} />}
      {open === "enlarge" && <Enlarge machine={machine} />}
      {open === "limit" && <Limit machine={machine} />}
      {open === "delete" && <Delete machine={machine} />}
    </Box>
  );
}

const FORM = {
  ...CARD,
  p: 1.25,
  flexBasis: "100%",
  display: "flex",
  gap: 1.5,
  alignItems: "center",
  flexWrap: "wrap",
} as const;

interface ActFormProps {
  label: string;
  draft: ReturnType<typeof useDraft>;
  /** Whether it says all that is needed. */
  complete: boolean;
  /** The lot that it drafts. */
  lot: () => NewLot;
  note?: string;
  children: ReactNode;
}

/** The form of one act: it drafts a lot. */
function ActForm({ label, draft, complete, lot, note, children }: ActFormProps) {
  return (
    <Box
      component="form"
      aria-label={label}
      sx={FORM}
      onSubmit={(event) => {
        event.preventDefault();
        draft.mutate(lot());
      }}
    >
      {children}
      <Button type="submit" variant="outlined" disabled={!complete || draft.isPending}>
        Draft lot
      </Button>
      {note && <span style={{ color: "var(--mute)" }}>{note}</span>}
      <ProblemAlert error={draft.error} />
    </Box>
  );
}

interface ShortFieldProps {
  label: string;
  placeholder: string;
  numeric?: boolean;
  value: string;
  set: (text: string) => void;
}

/** A field for a size or a number. */
function ShortField({ label, placeholder, numeric = false, value, set }: ShortFieldProps) {
  return (
    <TextField
      size="small"
      label={label}
      placeholder={placeholder}
      fullWidth={false}
      sx={{ width: 130 }}
      value={value}
      slotProps={{
        inputLabel: { shrink: true },
        ...(numeric ? { htmlInput: { inputMode: "numeric" } } : {}),
      }}
      onChange={(event) => {
        set(event.target.value);
      }}
    />
  );
}

const SIZE = "80 GiB";

function Add({ machine }: { machine: Machine }) {
  const draft = useDraft();
  const [size, setSize] = useState("");
  const [policy, setPolicy] = useState<number | null>(null);
  return (
    <ActForm
      label="Add a disk"
      draft={draft}
      complete={size.trim() !== ""}
      lot={() => ({ kind: "machine_disk", form: { machine: machine.id, act: "add", size, policy } })}
      note="Its place is proposed; the lot says which and why."
    >
      <ShortField label="Size" placeholder={SIZE} value={size} set={setSize} />
      <Box sx={{ width: 200 }}>
        <PolicySelect label="Policy of this disk" none="as the machine" value={policy} choose={setPolicy} />
      </Box>
    </ActForm>
  );
}

/** Which of its disks. */
function DiskSelect({
  machine,
  disk,
  choose,
}: {
  machine: Machine;
  disk: number;
  choose: (disk: number) => void;
}) {
  return (
    <TextField
      select
      size="small"
      label="Disk"
      fullWidth={false}
      sx={{ width: 220 }}
      value={String(disk)}
      onChange={(event) => {
        choose(Number(event.target.value));
      }}
    >
      {machine.disks.map((each) => (
        <MenuItem key={each.id} value={String(each.id)} disabled={each.raw}>
          {each.name}
        </MenuItem>
      ))}
    </TextField>
  );
}

function Enlarge({ machine }: { machine: Machine }) {
  const draft = useDraft();
  const [disk, setDisk] = useState(machine.disks[0]?.id ?? 0);
  const [size, setSize] = useState("");
  return (
    <ActForm
      label="Enlarge a disk"
      draft={draft}
      complete={size.trim() !== ""}
      lot={() => ({ kind: "machine_disk", form: { machine: machine.id, act: "enlarge", disk, size } })}
    >
      <DiskSelect machine={machine} disk={disk} choose={setDisk} />
      <ShortField label="New size" placeholder={SIZE} value={size} set={setSize} />
    </ActForm>
  );
}

function Limit({ machine }: { machine: Machine }) {
  const draft = useDraft();
  const [disk, setDisk] = useState(machine.disks[0]?.id ?? 0);
  const [cap, setCap] = useState("");
  const [floor, setFloor] = useState("");
  return (
    <ActForm
      label="Limit a disk"
      draft={draft}
      complete
      lot={() => ({ kind: "limits", form: { disks: [disk], cap, floor } })}
      note="Kept to it by its array where that can, else by its host."
    >
      <DiskSelect machine={machine} disk={disk} choose={setDisk} />
      <ShortField label="Cap, IOPS" placeholder="none" numeric value={cap} set={setCap} />
      <ShortField label="Floor, IOPS" placeholder="none" numeric value={floor} set={setFloor} />
    </ActForm>
  );
}

function Delete({ machine }: { machine: Machine }) {
  const draft = useDraft();
  const [disk, setDisk] = useState(machine.disks[0]?.id ?? 0);
  const name = machine.disks.find((each) => each.id === disk)?.name ?? "";
  return (
    <>
      <Typed
        label={`Type ${name} to say that it is meant`}
        name={name}
        act="Draft lot"
        go={() => {
          draft.mutate({
            kind: "machine_disk",
            form: { machine: machine.id, act: "delete", disk, confirm: name },
          });
        }}
      >
        <DiskSelect machine={machine} disk={disk} choose={setDisk} />
      </Typed>
      <ProblemAlert error={draft.error} />
    </>
  );
}
