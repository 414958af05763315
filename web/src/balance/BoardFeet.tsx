import Box from "@mui/material/Box";
import { Link } from "react-router";
import { formatMs, formatShare } from "../parts/format";
import { CLOSE_PX, type Spacing } from "./geometry";
import type { BoardPool, Plan, Stack } from "./queries";

interface FeetProps {
  stacks: readonly Stack[];
  plan: Plan | undefined;
  space: Spacing;
}

/** Names and fills beneath the columns, now and after the plan. */
export function Feet({ stacks, plan, space: { width, gap } }: FeetProps) {
  const after = new Map((plan?.datastores ?? []).map((entry) => [entry.id, entry]));
  return (
    <Box sx={{ display: "flex", mt: 0.5, pl: `${String(gap / 2)}px`, gap: `${String(gap)}px` }}>
      {stacks.map((stack) => {
        const then = after.get(stack.id);
        const moved = then && Math.abs(then.fill - stack.fill) > 0.002;
        return (
          <Box
            key={stack.id}
            className="mono"
            sx={{
              width: width + gap - 2,
              mr: `${String(2 - gap)}px`,
              flex: "none",
              fontSize: gap > CLOSE_PX ? 12 : 11,
            }}
          >
            <Link
              to={`/trace/datastore/${String(stack.id)}`}
              style={{
                fontWeight: 600,
                color: stack.over ? "var(--buoyText)" : "inherit",
                textDecoration: "none",
                display: "block",
                overflow: "hidden",
                textOverflow: "ellipsis",
                whiteSpace: "nowrap",
              }}
              title={stack.name}
            >
              {stack.name}
            </Link>
            <div style={{ color: stack.over ? "var(--buoyText)" : "var(--mute)" }}>
              {stack.over && "▲\u00a0"}
              {formatShare(stack.fill)}
              {moved && ` →\u00a0${formatShare(then.fill)}`}
            </div>
          </Box>
        );
      })}
    </Box>
  );
}

/** The pools that the columns above share, with the latency at the peak hour, now and after. */
export function PoolBrackets({
  pools,
  stacks,
  plan,
  space: { width, gap },
}: FeetProps & { pools: readonly BoardPool[] }) {
  const after = new Map((plan?.pools ?? []).map((entry) => [entry.id, entry]));
  const shown = pools
    .map((pool) => ({ pool, count: stacks.filter((stack) => stack.pool === pool.id).length }))
    .filter((entry) => entry.count > 0);
  return (
    <Box sx={{ display: "flex", pl: `${String(gap / 2)}px`, gap: `${String(gap)}px`, mt: 0.75 }}>
      {shown.map(({ pool, count }) => {
        const then = after.get(pool.id);
        return (
          <Box
            key={pool.id}
            sx={{
              width: count * width + (count - 1) * gap,
              flex: "none",
              borderTop: "1.5px solid var(--mute)",
              pt: 0.5,
              fontSize: 12,
              display: "flex",
              justifyContent: "space-between",
              // A pool of one narrow stack has its figure below its name.
              flexWrap: "wrap",
              alignContent: "flex-start",
              columnGap: 1,
            }}
          >
            {pool.known ? (
              <Link to={`/trace/pool/${String(pool.id)}`} style={{ color: "var(--mute)" }}>
                {pool.name}
              </Link>
            ) : (
              <span style={{ color: "var(--mute)" }}>{pool.name}</span>
            )}
            <span className="mono">
              <strong style={{ whiteSpace: "nowrap", color: pool.over ? "var(--buoyText)" : "inherit" }}>
                {pool.over && "▲ "}
                {pool.known ? formatMs(pool.peak_ms) : "◇ no latency told"}
              </strong>
              {pool.known &&
                then &&
                formatMs(then.peak_ms) !== formatMs(pool.peak_ms) &&
                ` →\u00a0${then.peak_ms.toFixed(1)}`}
            </span>
          </Box>
        );
      })}
    </Box>
  );
}
