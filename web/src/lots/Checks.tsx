import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../api/problem";
import { Mark } from "../parts/Mark";
import { countOf } from "../parts/format";

type Check = Schemas["CheckAnswer"];

/** A lot's checks: what stops, what warns, and what passes in one line. */
export function Checks({ checks }: { checks: readonly Check[] }) {
  const stops = checks.filter((check) => check.level === "stop");
  const warns = checks.filter((check) => check.level === "warn");
  const passes = checks.filter((check) => check.level === "pass");
  return (
    <Box sx={{ p: "12px 14px", display: "grid", gap: 1 }} aria-label="Checks" role="group">
      {stops.length > 0 && (
        <Typography
          sx={{ color: "var(--buoyText)", fontWeight: 650, display: "flex", gap: 0.75, alignItems: "center" }}
        >
          <Mark kind="missing" label="stops" /> {stops.length} to settle first
        </Typography>
      )}
      {stops.map((check) => (
        <div key={check.name + check.text}>{check.text}</div>
      ))}
      {warns.map((check) => (
        <Box key={check.name + check.text} sx={{ display: "flex", gap: 0.75 }}>
          <Mark kind="part" label="warns" colour="var(--brassText)" /> <span>{check.text}</span>
        </Box>
      ))}
      {passes.length > 0 && (
        <Box sx={{ display: "flex", gap: 0.75 }}>
          <Mark kind="clear" label="pass" />
          <div>
            {stops.length + warns.length === 0 && passes.length > 1 && "All "}
            {countOf(passes.length, "check passes", "checks pass")}
            <div style={{ color: "var(--mute)", fontSize: 12 }}>
              {passes.map((check) => check.text).join("; ")}
            </div>
          </div>
        </Box>
      )}
    </Box>
  );
}
