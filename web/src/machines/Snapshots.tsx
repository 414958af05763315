import Box from "@mui/material/Box";
import { CARD, CardHead } from "../parts/CardHead";
import { countOf } from "../parts/format";
import { Mark } from "../parts/Mark";
import { Moment } from "../parts/Moment";
import { useUnit } from "../parts/unit";
import type { Machine } from "./queries";

type Snapshot = Machine["snapshots"][number];

/** How many snapshots come before this one in its chain. */
const depthOf = (snapshot: Snapshot, all: readonly Snapshot[]): number => {
  const before = all.find((each) => each.name === snapshot.parent);
  return before && before !== snapshot ? 1 + depthOf(before, all) : 0;
};

/** The snapshots of a machine as a chain: each stands under the one that it follows. */
export function Snapshots({ machine }: { machine: Machine }) {
  const { size } = useUnit();
  const { snapshots } = machine;
  const held = snapshots.reduce((sum, each) => sum + each.held_bytes, 0);
  return (
    <Box component="section" aria-label="Snapshots" sx={{ ...CARD, mb: 1.5 }}>
      <CardHead title="Snapshots">
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          {snapshots.length
            ? `${countOf(snapshots.length, "snapshot")} hold ${size(held)} beside the disks`
            : "none"}
        </span>
      </CardHead>
      {snapshots.map((snapshot) => (
        <Box
          key={snapshot.id}
          sx={{
            display: "flex",
            gap: 1.5,
            alignItems: "center",
            p: "6px 12px",
            pl: `${String(12 + 18 * Math.min(8, depthOf(snapshot, snapshots)))}px`,
            borderTop: "1px solid var(--line)",
          }}
        >
          <Mark kind={snapshot.standing ? "chosen" : "unjudged"} label="" />
          <span style={{ flex: 1 }}>
            {snapshot.name}
            {snapshot.standing && (
              <span style={{ color: "var(--mute)" }}>, the machine goes on from here</span>
            )}
          </span>
          <span className="mono">{size(snapshot.held_bytes)}</span>
          <span style={{ color: "var(--mute)" }}>{countOf(snapshot.disks, "disk")}</span>
          {snapshot.taken_at && <Moment at={snapshot.taken_at} />}
        </Box>
      ))}
    </Box>
  );
}
