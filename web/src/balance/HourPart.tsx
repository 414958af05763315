import Box from "@mui/material/Box";
import { type ReactNode, useEffect, useMemo } from "react";
import { countOf, formatApart } from "../parts/format";
import { HourStrip } from "../parts/HourStrip";
import { useTray } from "../shell/trayState";
import type { Board, Plan } from "./queries";

/** How well the curve of a pool is known. */
function curveOf(pool: Board["pools"][number]): string {
  if (!pool.fit_samples) return "Not measured.";
  const about = `Learned from ${countOf(pool.fit_samples, "hour")}: ${pool.fit_shape}.`;
  const spread = `Nine in ten hours lie ${formatApart(pool.fit_low)} to ${formatApart(pool.fit_high)} from that.`;
  const beyond = "Nothing is known beyond the load seen: plans add no more than a fifth to it.";
  return pool.cautious ? `${about} ${spread} ${beyond}` : `${about} ${spread}`;
}

/** Shows the slowest pool's hours above the steps in the tray, now and after the plan. */
export function useShowStrip(board: Board | undefined, plan: Plan | undefined): void {
  const { setExtra } = useTray();
  const strip: ReactNode = useMemo(() => {
    const pool = board && [...board.pools].sort((a, b) => b.peak_ms - a.peak_ms)[0];
    if (!pool) return null;
    const after = plan?.pools.find((entry) => entry.id === pool.id)?.latency_ms;
    return (
      <Box sx={{ p: "12px 14px", borderBottom: "1px solid var(--line)" }}>
        <Box sx={{ display: "flex", justifyContent: "space-between", mb: 0.75 }}>
          <strong>{pool.name}, hour by hour</strong>{" "}
          <span className="mono" style={{ fontSize: 12 }}>
            ms
          </span>
        </Box>
        <HourStrip
          title={`Latency of ${pool.name} by weekday hour`}
          now={pool.latency_ms}
          {...(after ? { after } : {})}
          ceiling={board.latency_ceiling_ms}
        />
        <div style={{ fontSize: 12, color: "var(--mute)", marginTop: 4 }}>{curveOf(pool)}</div>
      </Box>
    );
  }, [board, plan]);
  useEffect(() => {
    setExtra(strip);
    return () => {
      setExtra(null);
    };
  }, [strip, setExtra]);
}
