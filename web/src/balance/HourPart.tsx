import Box from "@mui/material/Box";
import { type ReactNode, useEffect, useMemo } from "react";
import { countOf } from "../parts/format";
import { HourStrip } from "../parts/HourStrip";
import { useTray } from "../shell/trayState";
import type { Board, Plan } from "./queries";

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
        <div style={{ fontSize: 12, color: "var(--mute)", marginTop: 4 }}>
          {pool.cautious
            ? "Cautious curve: too little load was seen."
            : `Curve of ${countOf(pool.fit_samples, "hour")}, typically ${pool.fit_error_ms.toFixed(2)} ms off.`}
        </div>
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
