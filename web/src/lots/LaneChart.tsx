import Box from "@mui/material/Box";
import { formatSeconds } from "../parts/format";
import { useNow } from "../parts/useNow";
import { layLanes } from "./lanes";
import { isActive, type LotDetail } from "./useLot";

const ROW = 20;
const FILL: Record<string, string> = {
  done: "var(--tide)",
  running: "var(--heat2)",
  failed: "var(--buoy)",
  abandoned: "var(--brass)",
  waiting: "var(--track)",
};

/** A lot's steps as bars on lanes over time, planned before, real while it runs and afterwards. */
export function LaneChart({ lot }: { lot: LotDetail }) {
  const now = useNow(isActive(lot) ? 500 : 60_000);
  const { lanes, seconds } = layLanes(lot.steps, lot.summary.started_at, now.getTime());
  const steps = new Map(lot.steps.map((step) => [step.id, step]));
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
      {lanes.map((lane) => (
        <Box
          key={lane.device}
          sx={{
            display: "grid",
            gridTemplateColumns: "90px 1fr",
            alignItems: "start",
            py: 0.5,
            "& + &": { borderTop: "1px solid var(--line)" },
          }}
        >
          <strong>{lane.device}</strong>
          <Box sx={{ position: "relative", height: lane.rows * ROW }}>
            {lane.bars.map((bar) => {
              const step = steps.get(bar.id);
              if (!step) return null;
              const share =
                step.state === "running" && step.total_amount > 0
                  ? (step.done_amount / step.total_amount) * 100
                  : null;
              const words = `${step.title}: ${step.state}, ${formatSeconds(bar.end - bar.start)}${bar.real ? "" : " planned"}`;
              return (
                <Box
                  key={bar.id}
                  role="img"
                  aria-label={words}
                  title={words}
                  sx={{
                    position: "absolute",
                    left: `${String((bar.start / seconds) * 100)}%`,
                    width: `max(5px, ${String(((bar.end - bar.start) / seconds) * 100)}%)`,
                    top: bar.row * ROW + 2,
                    height: ROW - 5,
                    background:
                      share === null
                        ? (FILL[step.state] ?? "var(--track)")
                        : `linear-gradient(90deg, var(--tide) ${String(share)}%, var(--track) ${String(share)}%)`,
                    border: bar.real ? "none" : "1px dashed var(--mute)",
                    borderRadius: "2px",
                  }}
                />
              );
            })}
          </Box>
        </Box>
      ))}
      <Box
        component="figcaption"
        className="mono"
        sx={{
          display: "flex",
          justifyContent: "space-between",
          pl: "90px",
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
