import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { type NewLot, useDraft } from "../lots/useDraft";
import { Typed } from "../parts/Typed";
import { CARD } from "../parts/CardHead";
import { ProblemAlert } from "../parts/ProblemAlert";
import { hostsOfQuery, type Machine } from "./queries";

const MIB = 2 ** 20;

/** A new machine alike, whose disks are copied from this one's; those that it has as they are it does not get. */
function copyOf(machine: Machine): NewLot {
  const disks = machine.disks
    .filter((disk) => !disk.raw)
    .map((disk) => ({ contents: `disk:${String(disk.id)}`, policy: disk.given }));
  // What a host does not tell is typed.
  const memory = machine.memory_bytes ? `${String(machine.memory_bytes / MIB)} MiB` : "";
  const processors = machine.processors ? String(machine.processors) : "";
  return { kind: "new_machine", form: { cluster: machine.cluster, processors, memory, disks } };
}

/** What can be done with the whole machine: each drafts a lot, nothing is done at once. */
export function PowerAndMore({ machine }: { machine: Machine }) {
  const draft = useDraft();
  const [open, setOpen] = useState<"move" | "delete" | null>(null);
  const on = machine.power === "On";
  const toggle = (which: "move" | "delete") => {
    setOpen(open === which ? null : which);
  };
  return (
    <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", mb: 1.5, alignItems: "center" }}>
      <Button
        variant="outlined"
        disabled={draft.isPending}
        onClick={() => {
          draft.mutate({ kind: "power", form: { machines: [machine.id], to: on ? "off" : "on" } });
        }}
      >
        {on ? "Switch off" : "Switch on"}
      </Button>
      <Button
        variant="outlined"
        aria-expanded={open === "move"}
        onClick={() => {
          toggle("move");
        }}
      >
        Move to a host
      </Button>
      <Button
        variant="outlined"
        disabled={draft.isPending}
        onClick={() => {
          draft.mutate(copyOf(machine));
        }}
      >
        Copy
      </Button>
      <Button
        variant="outlined"
        aria-expanded={open === "delete"}
        onClick={() => {
          toggle("delete");
        }}
      >
        Delete
      </Button>
      <ProblemAlert error={draft.error} />
      {open === "move" && (
        <Move
          machine={machine}
          go={(host) => {
            draft.mutate({ kind: "migrate", form: { machine: machine.id, host } });
          }}
        />
      )}
      {open === "delete" && (
        <Typed
          label={`Type ${machine.name} to say that it is meant`}
          name={machine.name}
          act="Draft lot"
          go={() => {
            draft.mutate({ kind: "delete_machine", form: { machine: machine.id, confirm: machine.name } });
          }}
        >
          Its disks and snapshots go with it; nothing brings them back.
        </Typed>
      )}
    </Box>
  );
}

function Move({ machine, go }: { machine: Machine; go: (host: string) => void }) {
  const { data: hosts } = useQuery(hostsOfQuery(machine.cluster));
  const others = (hosts?.results ?? []).filter((host) => host.id !== machine.host_id);
  return (
    <Box component="section" aria-label="Move to a host" sx={{ ...CARD, p: 1.25, flexBasis: "100%" }}>
      <TextField
        select
        size="small"
        label="Host"
        fullWidth={false}
        sx={{ width: 190 }}
        value=""
        onChange={(event) => {
          if (event.target.value) go(event.target.value);
        }}
        helperText={`others of ${machine.cluster}; it runs on meanwhile`}
      >
        {others.map((host) => (
          <MenuItem key={host.id} value={host.name}>
            {host.name}, {host.running} running
          </MenuItem>
        ))}
      </TextField>
    </Box>
  );
}
