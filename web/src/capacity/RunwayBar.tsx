import Box from "@mui/material/Box";
import type { Row } from "./queries";
import { AXIS_DAYS, onAxis, runwayText, stateOf } from "./runways";

const MARKS = [0, 30, 60, 90, 120, 150, AXIS_DAYS];
const percent = (share: number) => `${String(100 * share)}%`;

/** The days that runways are drawn against. */
export function RunwayAxis() {
  return (
    <Box sx={{ position: "relative", height: 16 }} className="mono" aria-hidden>
      {MARKS.filter((day) => day % 60 === 0).map((day) => (
        <Box
          key={day}
          component="span"
          sx={{
            position: "absolute",
            left: percent(onAxis(day)),
            transform: day === 0 ? "none" : day === AXIS_DAYS ? "translateX(-100%)" : "translateX(-50%)",
            fontSize: 11,
            whiteSpace: "nowrap",
            color: "var(--mute)",
          }}
        >
          {day === 0 ? "today" : `${String(day)} d`}
        </Box>
      ))}
    </Box>
  );
}

/** When the ceiling of a row is reached: a line until the earliest day, then the interval, its likely day marked. */
export function RunwayBar({ row }: { row: Row }) {
  const soon = stateOf(row) !== "clear";
  const begin = onAxis(row.early ?? AXIS_DAYS);
  const end = onAxis(row.late ?? AXIS_DAYS);
  const reached = row.told && row.early !== null && row.early < AXIS_DAYS;
  return (
    <Box sx={{ position: "relative", height: 26 }} aria-label={runwayText(row)} role="img">
      {MARKS.map((day) => (
        <Box
          key={day}
          sx={{
            position: "absolute",
            top: 0,
            bottom: 0,
            left: percent(onAxis(day)),
            borderLeft: "1px solid var(--line)",
          }}
        />
      ))}
      {row.told && (
        <Box
          sx={{
            position: "absolute",
            top: 11,
            height: 3,
            width: percent(begin),
            background: soon ? "var(--buoy)" : "var(--heat1)",
          }}
        />
      )}
      {reached && (
        <Box
          sx={{
            position: "absolute",
            top: 5,
            height: 15,
            left: percent(begin),
            width: `max(3px, ${percent(end - begin)})`,
            background: soon ? "var(--buoySoft)" : "var(--tideSoft)",
            outline: `1px solid ${soon ? "var(--buoy)" : "var(--heat1)"}`,
          }}
        />
      )}
      {reached && row.likely !== null && row.likely < AXIS_DAYS && (
        <Box
          sx={{
            position: "absolute",
            top: 3,
            height: 19,
            left: percent(onAxis(row.likely)),
            borderLeft: `2px solid ${soon ? "var(--buoy)" : "var(--tide)"}`,
          }}
        />
      )}
    </Box>
  );
}
