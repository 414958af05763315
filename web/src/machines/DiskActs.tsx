import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useDraft } from "../lots/useDraft";
import { CARD } from "../parts/CardHead";
import { ProblemAlert } from "../parts/ProblemAlert";
import { Typed } from "./Acts";
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

function SizeField({ label, value, set }: { label: string; value: string; set: (text: string) => void }) {
  return (
    <TextField
      size="small"
      label={label}
      placeholder="80 GiB"
      fullWidth={false}
      sx={{ width: 130 }}
      value={value}
      slotProps={{ inputLabel: { shrink: true } }}
      onChange={(event) => {
        set(event.target.value);
      }}
    />
  );
}

function Add({ machine }: { machine: Machine }) {
  const draft = useDraft();
  const [size, setSize] = useState("");
  const [policy, setPolicy] = useState<number | null>(null);
  return (
    <Box
      component="form"
      aria-label="Add a disk"
      sx={FORM}
      onSubmit={(event) => {
        event.preventDefault();
        draft.mutate({ kind: "machine_disk", form: { machine: machine.id, act: "add", size, policy } });
      }}
    >
      <SizeField label="Size" value={size} set={setSize} />
      <Box sx={{ width: 200 }}>
        <PolicySelect label="Policy of this disk" none="as the machine" value={policy} choose={setPolicy} />
      </Box>
      <Button type="submit" variant="outlined" disabled={!size.trim() || draft.isPending}>
        Draft lot
      </Button>
      <span style={{ color: "var(--mute)" }}>Its place is proposed; the lot says which and why.</span>
      <ProblemAlert error={draft.error} />
    </Box>
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
    <Box
      component="form"
      aria-label="Enlarge a disk"
      sx={FORM}
      onSubmit={(event) => {
        event.preventDefault();
        draft.mutate({ kind: "machine_disk", form: { machine: machine.id, act: "enlarge", disk, size } });
      }}
    >
      <DiskSelect machine={machine} disk={disk} choose={setDisk} />
      <SizeField label="New size" value={size} set={setSize} />
      <Button type="submit" variant="outlined" disabled={!size.trim() || draft.isPending}>
        Draft lot
      </Button>
      <ProblemAlert error={draft.error} />
    </Box>
  );
}

function Limit({ machine }: { machine: Machine }) {
  const draft = useDraft();
  const [disk, setDisk] = useState(machine.disks[0]?.id ?? 0);
  const [cap, setCap] = useState("");
  const [floor, setFloor] = useState("");
  const field = (label: string, value: string, set: (text: string) => void) => (
    <TextField
      size="small"
      label={label}
      placeholder="none"
      fullWidth={false}
      sx={{ width: 130 }}
      value={value}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { inputMode: "numeric" } }}
      onChange={(event) => {
        set(event.target.value);
      }}
    />
  );
  return (
    <Box
      component="form"
      aria-label="Limit a disk"
      sx={FORM}
      onSubmit={(event) => {
        event.preventDefault();
        draft.mutate({ kind: "limits", form: { disks: [disk], cap, floor } });
      }}
    >
      <DiskSelect machine={machine} disk={disk} choose={setDisk} />
      {field("Cap, IOPS", cap, setCap)}
      {field("Floor, IOPS", floor, setFloor)}
      <Button type="submit" variant="outlined" disabled={draft.isPending}>
        Draft lot
      </Button>
      <span style={{ color: "var(--mute)" }}>Kept to it by its array where that can, else by its host.</span>
      <ProblemAlert error={draft.error} />
    </Box>
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
