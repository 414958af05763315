import Box from "@mui/material/Box";
import { countOf, formatDate } from "../parts/format";
import { Moment } from "../parts/Moment";
import { HIDDEN } from "../parts/picture/Picture";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useUnit } from "../parts/unit";
import type { Rehearsal, RehearsalDay, RehearsedMove } from "./queries";

/** What a group's ways would have done over its history, night by night. */
export function RehearsalCard({ rehearsal }: { rehearsal: Rehearsal }) {
  const { size } = useUnit();
  const found = rehearsal.document;
  const nights = new Set(found.moves.map((move) => move.at)).size;
  return (
    <Box component="section" aria-label="Rehearsal" sx={{ display: "grid", gap: 1 }}>
      <div>
        {!rehearsal.fits && (
          <div style={{ color: "var(--brassText)" }}>
            ◪ Rehearsed for ways as they were before; rehearse again.
          </div>
        )}
        Rehearsed on {countOf(found.days.length, "day")}: <b>{countOf(found.hours_over, "hour")}</b> over a
        ceiling were{slowOf(found.hours_slow)}; <b>{found.hours_over_rehearsed}</b> would have been
        {slowOf(found.hours_slow_rehearsed)}, for {countOf(found.moves_count, "move")} of{" "}
        {size(found.moved_bytes)}
        {nights > 0 && ` in ${countOf(nights, "night")}`}
        {found.taken_back > 0 && `; ${String(found.taken_back)} of them were taken back within a week`}.
        <span style={{ color: "var(--mute)" }}>
          {" "}
          By {rehearsal.by}, <Moment at={rehearsal.at} />
          {found.halted && ", stopped before its end"}
          {rehearsal.seen_by && `; looked at by ${rehearsal.seen_by}`}.
        </span>
      </div>
      <Days days={found.days} />
      <div style={{ color: "var(--mute)", fontSize: 12 }}>{found.assumptions.join(" ")}</div>
      {found.moves.length > 0 && (
        <details>
          <summary style={{ cursor: "pointer" }}>Its moves</summary>
          <DataTable
            name="Moves of the rehearsal"
            rows={found.moves}
            columns={columnsOf(size)}
            rowKey={(move) => `${move.at} ${move.disk}`}
            empty="Nothing would have moved."
            csv
          />
        </details>
      )}
    </Box>
  );
}

const slowOf = (hours: number) => (hours ? `, ${String(hours)} of them slow` : "");

const columnsOf = (size: (bytes: number) => string): Column<RehearsedMove>[] => [
  { key: "at", head: "Window from", value: (move) => move.at, cell: (move) => formatDate(move.at) },
  { key: "disk", head: "Disk", value: (move) => move.disk, sticky: true },
  { key: "source", head: "From", value: (move) => move.source },
  { key: "target", head: "To", value: (move) => move.target },
  {
    key: "size",
    head: "Size",
    value: (move) => move.size_bytes,
    cell: (move) => size(move.size_bytes),
    figures: true,
  },
  { key: "back", head: "", value: (move) => (move.taken_back ? "taken back" : "") },
];

const [STEP, HEIGHT] = [16, 84];

/** Hours over a ceiling by day: as it was, and as rehearsed; a mark below nights with moves. */
function Days({ days }: { days: readonly RehearsalDay[] }) {
  const y = (hours: number) => (HEIGHT - 14) * (hours / 24);
  const width = Math.max(1, days.length) * STEP;
  return (
    <figure style={{ margin: 0, overflowX: "auto" }}>
      <svg width={width} height={HEIGHT} viewBox={`0 0 ${String(width)} ${String(HEIGHT)}`} aria-hidden>
        {days.map((day, n) => (
          <g key={day.day}>
            <rect
              x={n * STEP + 2}
              width="9"
              y={HEIGHT - 14 - y(day.over)}
              height={y(day.over)}
              fill="var(--heat3)"
            />
            <rect
              x={n * STEP + 2}
              width="9"
              y={HEIGHT - 14 - y(day.over_rehearsed)}
              height={y(day.over_rehearsed)}
              fill="var(--tide)"
            />
            {day.moves > 0 && (
              <text x={n * STEP + 2} y={HEIGHT - 2} fontSize="10" fill="var(--ink)">
                ▲
              </text>
            )}
          </g>
        ))}
        <line x1="0" x2={width} y1={HEIGHT - 14} y2={HEIGHT - 14} stroke="var(--line)" />
      </svg>
      <table style={HIDDEN} aria-label="Hours over a ceiling by day">
        <tbody>
          {days.map((day) => (
            <tr key={day.day}>
              <th scope="row">{day.day}</th>
              <td>
                {countOf(day.over, "hour")} as it was{slowOf(day.slow)}
              </td>
              <td>
                {countOf(day.over_rehearsed, "hour")} as rehearsed{slowOf(day.slow_rehearsed)}
              </td>
              <td>{countOf(day.moves, "move")}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <figcaption style={{ fontSize: 12, color: "var(--mute)" }}>
        hours of each day over a ceiling: as it was, <b style={{ color: "var(--tide)" }}>as rehearsed</b>; ▲
        windows with moves
      </figcaption>
    </figure>
  );
}
