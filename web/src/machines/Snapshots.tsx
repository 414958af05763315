import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useDraft } from "../lots/useDraft";
import { CARD, CardHead } from "../parts/CardHead";
import { countOf } from "../parts/format";
import { Mark } from "../parts/Mark";
import { Moment } from "../parts/Moment";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { useSession } from "../shell/useSession";
import { Stands } from "./Parts";
import type { Machine } from "./queries";

type Snapshot = Machine["snapshots"][number];
type Act = "take" | "go back" | "merge" | "merge all";

/** Snapshots with how many come before each, every one beneath the one that it follows. */
function inOrder(all: readonly Snapshot[], parent = "", depth = 0): { snapshot: Snapshot; depth: number }[] {
  const names = new Set(all.map((each) => each.name));
  const next = all.filter((each) => (parent ? each.parent === parent : !names.has(each.parent)));
  return depth > all.length
    ? []
    : next.flatMap((snapshot) => [{ snapshot, depth }, ...inOrder(all, snapshot.name, depth + 1)]);
}

/** The snapshots of a machine as a chain: each stands under the one that it follows. */
export function Snapshots({ machine }: { machine: Machine }) {
  const { size } = useUnit();
  const { data: session } = useSession();
  const draft = useDraft();
  const { snapshots } = machine;
  const may = session?.may_change ?? false;
  const held = snapshots.reduce((sum, each) => sum + each.held_bytes, 0);
  const act = (which: Act, snapshot: string) => {
    draft.mutate({ kind: "snapshot", form: { machine: machine.id, act: which, snapshot } });
  };
  return (
    <Box component="section" aria-label="Snapshots" sx={{ ...CARD, mb: 1.5 }}>
      <CardHead title="Snapshots">
        <span style={{ color: "var(--mute)", fontSize: 12, flex: 1 }}>
          {snapshots.length
            ? `${countOf(snapshots.length, "snapshot")} hold ${size(held)} beside the disks`
            : "none"}
        </span>
        {may && snapshots.length > 1 && (
          <Button
            size="small"
            disabled={draft.isPending}
            onClick={() => {
              act("merge all", "");
            }}
          >
            Merge all
          </Button>
        )}
        {may && (
          <Take
            busy={draft.isPending}
            take={(name) => {
              act("take", name);
            }}
          />
        )}
      </CardHead>
      <ProblemAlert error={draft.error} />
      {inOrder(snapshots).map(({ snapshot, depth }) => (
        <Box
          key={snapshot.id}
          sx={{
            display: "flex",
            gap: 1.5,
            alignItems: "center",
            p: "6px 12px",
            pl: `${String(12 + 18 * Math.min(8, depth))}px`,
            borderTop: "1px solid var(--line)",
          }}
        >
          <Mark kind={snapshot.standing ? "chosen" : "unjudged"} label="" />
          <span style={{ flex: 1 }}>
            {snapshot.name}
            {snapshot.place && <span style={{ color: "var(--mute)" }}>, kept on {snapshot.place}</span>}
            {snapshot.standing && (
              <span style={{ color: "var(--mute)" }}>, the machine goes on from here</span>
            )}
          </span>
          {snapshot.stands.policy && <Stands state={snapshot.stands} />}
          <span className="mono">{size(snapshot.held_bytes)}</span>
          <span style={{ color: "var(--mute)" }}>{countOf(snapshot.disks, "disk")}</span>
          {snapshot.taken_at && <Moment at={snapshot.taken_at} />}
          {may && (
            <>
              <Button
                size="small"
                disabled={draft.isPending}
                aria-label={`Go back to ${snapshot.name}`}
                onClick={() => {
                  act("go back", snapshot.name);
                }}
              >
                Go back
              </Button>
              <Button
                size="small"
                disabled={draft.isPending}
                aria-label={`Merge ${snapshot.name}`}
                onClick={() => {
                  act("merge", snapshot.name);
                }}
              >
                Merge
              </Button>
            </>
          )}
        </Box>
      ))}
    </Box>
  );
}

function Take({ busy, take }: { busy: boolean; take: (name: string) => void }) {
  const [name, setName] = useState("");
  return (
    <form
      style={{ display: "flex", gap: 8 }}
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim()) take(name.trim());
      }}
    >
      <TextField
        size="small"
        placeholder="name, as before-upgrade"
        slotProps={{ htmlInput: { "aria-label": "Name of a new snapshot", maxLength: 80 } }}
        sx={{ width: 200 }}
        value={name}
        onChange={(event) => {
          setName(event.target.value);
        }}
      />
      <Button type="submit" disabled={busy || !name.trim()}>
        Take one
      </Button>
    </form>
  );
}
