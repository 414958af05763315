import Box from "@mui/material/Box";
import { useMemo } from "react";
import { formatSeconds } from "../parts/format";
import { useNow } from "../parts/useNow";
import { type Bar, foldLanes, type Lane, layLanes } from "./lanes";
import { isActive, type LotDetail } from "./queries";

const ROW = 20;
const FILL: Record<LotDetail["steps"][number]["state"], string> = {
  done: "var(--tide)",
  running: "var(--heat2)",
  failed: "var(--buoy)",
  abandoned: "var(--brass)",
  waiting: "var(--track)",
  unknown: "repeating-linear-gradient(45deg, var(--brass) 0 3px, var(--card) 3px 6px)",
};

/** A lot's steps as bars on lanes over time, planned before, real while it runs and afterwards. */
export function LaneChart({ lot }: { lot: LotDetail }) {
  const now = useNow(isActive(lot.summary.state) ? 500 : 60_000);
  const steps = useMemo(() => new Map(lot.steps.map((step) => [step.id, step])), [lot.steps]);
  const { lanes, seconds } = layLanes(lot.steps, lot.summary.started_at, now.getTime());
  const shown = foldLanes(lanes, (bar) => {
    const step = steps.get(bar.id);
    return `${step?.kind ?? ""} ${step?.state ?? ""}`;
  });
  return (
    <Box
      component="figure"
      aria-label="Lane chart"
      sx={{
        m: 0,
        border: "1px solid var(--line)",
        borderRadius: "6px",
        background: "var(--card)",
        p: "10px 14px",
      }}
    >
      {shown.map((lane) => (
        <LaneRow key={lane.device} lane={lane} seconds={seconds} steps={steps} />
      ))}
      <Box
        component="figcaption"
        className="mono"
        sx={{
          display: "flex",
          justifyContent: "space-between",
          pl: "110px",
          pt: 0.5,
          fontSize: 11,
          color: "var(--mute)",
        }}
      >
        <span>0 s</span>
        <span>{lot.summary.started_at ? "filled: real times" : "dashed: planned"}</span>
        <span>{formatSeconds(seconds)}</span>
      </Box>
    </Box>
  );
}

interface LaneProps {
  lane: Lane;
  seconds: number;
  steps: ReadonlyMap<number, LotDetail["steps"][number]>;
}

function LaneRow({ lane, seconds, steps }: LaneProps) {
  return (
    <div
      style={{
        display: "grid",
        gridTemplateColumns: "110px 1fr",
        alignItems: "start",
        padding: "4px 0",
        borderTop: "1px solid var(--line)",
      }}
    >
      <strong title={lane.alike > 1 ? `the slowest of them, ${lane.device}` : lane.device}>
        {lane.alike > 1 ? `${String(lane.alike)} alike` : lane.device}
      </strong>
      <div style={{ position: "relative", height: lane.rows * ROW }}>
        {lane.bars.map((bar) => (
          <BarBox key={bar.id} bar={bar} seconds={seconds} step={steps.get(bar.id)} />
        ))}
      </div>
    </div>
  );
}

function BarBox({
  bar,
  seconds,
  step,
}: {
  bar: Bar;
  seconds: number;
  step: LotDetail["steps"][number] | undefined;
}) {
  if (!step) return null;
  const share =
    step.state === "running" && step.total_amount > 0 ? (step.done_amount / step.total_amount) * 100 : null;
  const words = `${step.title}: ${step.state}, ${formatSeconds(bar.end - bar.start)}${bar.real ? "" : " planned"}`;
  return (
    <div
      role="img"
      aria-label={words}
      title={words}
      style={{
        position: "absolute",
        left: `${String((bar.start / seconds) * 100)}%`,
        width: `max(5px, ${String(((bar.end - bar.start) / seconds) * 100)}%)`,
        top: bar.row * ROW + 2,
        height: ROW - 5,
        background:
          share === null
            ? FILL[step.state]
            : `linear-gradient(90deg, var(--tide) ${String(share)}%, var(--track) ${String(share)}%)`,
        border: bar.real ? "none" : "1px dashed var(--mute)",
        borderRadius: 2,
      }}
    />
  );
}
