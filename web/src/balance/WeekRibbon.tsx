import { useRef, useState } from "react";
import { formatMs } from "../parts/format";
import { HIDDEN } from "../parts/picture/Picture";
import type { WayRow } from "./queries";
import { barsOf, DAY_HOURS, DAYS, type Hours, hourOfWeek, laid, WEEK_HOURS } from "./week";

interface Props {
  /** [168] Latency of the slowest pool at each hour, null where nobody measured. */
  latency: readonly (number | null)[];
  ceilings: readonly number[];
  ways: readonly WayRow[];
  hours: Hours;
  now: number;
  /** Called with other hours while one drags; not there for who may not change them. */
  lay: ((hours: Hours) => void) | undefined;
}

const WIDTH = 880;
const LEFT = 62;
const HOUR = (WIDTH - LEFT) / WEEK_HOURS;
const [TOP, LOAD, LANE] = [16, 56, 25];
const COLOURS = { act: "var(--tide)", advise: "var(--heat1)", still: "var(--heat3)" } as const;
const colourOf = (does: string): string => COLOURS[does as keyof typeof COLOURS];

/** The week of a group: how slow it is at each hour, and a lane for each way of working with bars to drag. */
export function WeekRibbon({ latency, ceilings, ways, hours, now, lay }: Props) {
  const svg = useRef<SVGSVGElement>(null);
  const [held, setHeld] = useState<{ way: string; from: number; before: Hours } | null>(null);
  const height = TOP + LOAD + 8 + ways.length * LANE;
  const hourOf = (event: React.PointerEvent) => {
    const box = svg.current?.getBoundingClientRect();
    const x = box ? ((event.clientX - box.left) / box.width) * WIDTH : 0;
    return Math.min(WEEK_HOURS - 1, Math.max(0, Math.floor((x - LEFT) / HOUR)));
  };
  const take = (event: React.PointerEvent, way: string) => {
    if (!lay) return;
    event.preventDefault();
    svg.current?.setPointerCapture(event.pointerId);
    const from = hourOf(event);
    setHeld(heldAt(hours, way, from));
  };
  const drag = (event: React.PointerEvent) => {
    if (held && lay) lay(laid(held.before, held.way, held.from, hourOf(event)));
  };
  return (
    <figure style={{ margin: 0, overflowX: "auto" }}>
      <svg
        ref={svg}
        viewBox={`0 0 ${String(WIDTH)} ${String(height)}`}
        width="100%"
        style={{ minWidth: 560, display: "block", touchAction: "none" }}
        aria-hidden
        onPointerMove={drag}
        onPointerUp={() => {
          setHeld(null);
        }}
      >
        <Load latency={latency} ceilings={ceilings} />
        {DAYS.map((day, n) => (
          <g key={day}>
            <line
              x1={LEFT + n * DAY_HOURS * HOUR}
              x2={LEFT + n * DAY_HOURS * HOUR}
              y1={TOP - 4}
              y2={height}
              stroke="var(--line)"
            />
            <text x={LEFT + n * DAY_HOURS * HOUR + 4} y={11} fontSize="11" fill="var(--mute)">
              {day}
            </text>
          </g>
        ))}
        {ways.map((way, n) => (
          <Lane
            key={way.name}
            way={way}
            y={TOP + LOAD + 8 + n * LANE}
            hours={hours}
            movable={lay !== undefined}
            take={(event) => {
              take(event, way.name);
            }}
          />
        ))}
        <line
          x1={LEFT + (now + 0.5) * HOUR}
          x2={LEFT + (now + 0.5) * HOUR}
          y1={TOP - 4}
          y2={height}
          stroke="var(--buoy)"
          strokeWidth="2"
        />
        <text x={LEFT + (now + 0.5) * HOUR + 3} y={TOP + 8} fontSize="11" fill="var(--buoyText)">
          now
        </text>
      </svg>
      <table style={HIDDEN} aria-label="The week by hour">
        <tbody>
          {hours.map((way, hour) => (
            <tr key={hour}>
              <th scope="row">{hourOfWeek(hour)}</th>
              <td>{way ?? "no way: advises"}</td>
              <td>{typeof latency[hour] === "number" ? formatMs(latency[hour]) : "not measured"}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </figure>
  );
}

/** What is dragged: an end of the bar that is taken hold of there, else a new one from that hour on. */
function heldAt(hours: Hours, way: string, hour: number) {
  const bar = barsOf(hours).find(
    (each) => each.way === way && hour >= each.begins && hour < each.begins + each.hours,
  );
  if (!bar) return { way, from: hour, before: hours };
  const last = Math.min(WEEK_HOURS - 1, bar.begins + bar.hours - 1);
  const cleared = laid(hours, null, bar.begins, last);
  // The nearer end moves, the other one stays.
  return { way, from: hour - bar.begins < last - hour ? last : bar.begins, before: cleared };
}

function Load({ latency, ceilings }: Pick<Props, "latency" | "ceilings">) {
  const most = Math.max(1, ...ceilings, ...latency.map((each) => each ?? 0)) * 1.05;
  const y = (ms: number) => TOP + LOAD * (1 - ms / most);
  const x = (hour: number) => LEFT + hour * HOUR;
  const floor = TOP + LOAD;
  const area = latency
    .map((ms, n) => `L${String(x(n))} ${String(y(ms ?? 0))} H${String(x(n + 1))}`)
    .join(" ");
  const line = ceilings.map(
    (ms, n) => `${n ? "L" : "M"}${String(x(n))} ${String(y(ms))} H${String(x(n + 1))}`,
  );
  return (
    <>
      <path d={`M${String(LEFT)} ${String(floor)} ${area} V${String(floor)} Z`} fill="var(--heat1)" />
      {latency.map((ms, n) =>
        ms !== null && ms > (ceilings[n] ?? Infinity) ? (
          <rect key={n} x={x(n)} y={y(ms)} width={HOUR} height={floor - y(ms)} fill="var(--buoy)" />
        ) : null,
      )}
      <path d={line.join(" ")} fill="none" stroke="var(--ink)" strokeDasharray="4 3" />
      <text x={4} y={y(ceilings[0] ?? 0) + 4} fontSize="11" fill="var(--mute)" className="mono">
        {formatMs(ceilings[0] ?? 0)}
      </text>
      <text x={4} y={floor} fontSize="11" fill="var(--mute)">
        slowest
      </text>
    </>
  );
}

interface LaneProps {
  way: WayRow;
  y: number;
  hours: Hours;
  movable: boolean;
  take: (event: React.PointerEvent) => void;
}

function Lane({ way, y, hours, movable, take }: LaneProps) {
  const acts = way.does === "act";
  return (
    <g onPointerDown={take} style={{ cursor: movable ? "ew-resize" : "default" }} data-lane={way.name}>
      <rect x={LEFT} y={y} width={WIDTH - LEFT} height={LANE - 5} fill="transparent" />
      <text x={4} y={y + 14} fontSize="12" fontWeight="600" fill="var(--ink)">
        {way.name.length > 8 ? `${way.name.slice(0, 7)}…` : way.name}
      </text>
      {barsOf(hours)
        .filter((bar) => bar.way === way.name)
        .flatMap((bar) => {
          const over = bar.begins + bar.hours - WEEK_HOURS;
          const ends = `${String(bar.begins % DAY_HOURS)}–${String((bar.begins + bar.hours) % DAY_HOURS)}`;
          const parts =
            over > 0
              ? [
                  { from: bar.begins, lasts: bar.hours - over },
                  { from: 0, lasts: over },
                ]
              : [];
          return (parts.length ? parts : [{ from: bar.begins, lasts: bar.hours }]).map((part, n) => (
            <g key={`${String(bar.begins)} ${String(n)}`}>
              <rect
                x={LEFT + part.from * HOUR + 0.5}
                y={y}
                width={Math.max(2, part.lasts * HOUR - 1)}
                height={LANE - 5}
                rx="3"
                fill={colourOf(way.does)}
              />
              {part.lasts > 6 && n === 0 && (
                <text
                  x={LEFT + part.from * HOUR + 5}
                  y={y + 14}
                  fontSize="11"
                  className="mono"
                  fill={acts ? "var(--card)" : "var(--ink)"}
                >
                  {bar.hours === WEEK_HOURS ? "all hours" : bar.hours === DAY_HOURS ? "all day" : ends}
                </text>
              )}
            </g>
          ));
        })}
    </g>
  );
}
