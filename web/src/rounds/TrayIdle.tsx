import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { HourStrip } from "../parts/HourStrip";
import { useUnit } from "../parts/unit";
import { Key } from "../parts/Key";
import { roundsQuery } from "./queries";

/** The tray without a lot: arrays, the slowest pool, and the keys that help most. */
export function TrayIdle() {
  const { data } = useQuery(roundsQuery());
  const { size } = useUnit();
  const most = Math.max(1, ...(data?.arrays ?? []).map((array) => array.capacity_bytes));
  return (
    <Box sx={{ overflow: "auto" }} tabIndex={0} role="region" aria-label="Arrays and keys">
      <Part title="Arrays">
        {data?.arrays.length === 0 && <Typography color="textSecondary">None is linked yet.</Typography>}
        {data?.arrays.map((array) => (
          <Box key={array.name} sx={{ mb: 1.25 }}>
            <Box sx={{ display: "flex", justifyContent: "space-between", mb: 0.5 }}>
              <strong>{array.name}</strong>
              <span className="mono" style={{ fontSize: 12 }}>
                {size(array.allocated_bytes)} of {size(array.capacity_bytes)}
              </span>
            </Box>
            <Box
              sx={{
                width: `${String((array.capacity_bytes / most) * 100)}%`,
                background: "var(--track)",
                height: 14,
              }}
            >
              <Box
                sx={{
                  width: `${String((array.allocated_bytes / array.capacity_bytes) * 100)}%`,
                  background: "var(--heat2)",
                  height: 14,
                }}
              />
            </Box>
          </Box>
        ))}
      </Part>
      {data?.slowest && (
        <Part
          title="Slowest pool by weekday hour"
          note={<Link to={`/trace/pool/${String(data.slowest.id)}`}>{data.slowest.name}</Link>}
        >
          <HourStrip
            title={`Latency of ${data.slowest.name} by hour`}
            now={data.slowest.latency_ms}
            ceiling={data.slowest.ceiling_ms}
          />
        </Part>
      )}
      <Part title="Lot tray">
        <Typography color="textSecondary">
          Empty. Draft a lot from a finding, or open one under Lots.
        </Typography>
      </Part>
      <Part title="Keys">
        {(
          [
            ["J K", "next, previous finding"],
            ["D", "draft a lot for it"],
            ["T", "trace it from disk to array"],
            ["U", "TiB or TB"],
            ["R", "reread devices"],
            ["?", "all keys"],
          ] as const
        ).map(([key, meaning]) => (
          <Box key={key} sx={{ display: "flex", gap: 1.25, mb: 0.5 }}>
            <Box sx={{ width: 44 }}>
              <Key>{key}</Key>
            </Box>{" "}
            {meaning}
          </Box>
        ))}
      </Part>
    </Box>
  );
}

function Part({ title, note, children }: { title: string; note?: ReactNode; children: ReactNode }) {
  return (
    <Box sx={{ p: "12px 14px", borderBottom: "1px solid var(--line)" }}>
      <Box sx={{ display: "flex", justifyContent: "space-between", mb: 1 }}>
        <Typography variant="h2" component="h2">
          {title}
        </Typography>
        <span className="mono" style={{ fontSize: 12 }}>
          {note}
        </span>
      </Box>
      {children}
    </Box>
  );
}
