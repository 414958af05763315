import { formatHour, formatMs } from "./format";
import { barHeights } from "./hours";
import { HIDDEN } from "./picture/Picture";

interface Props {
  title: string;
  now: readonly number[];
  after?: readonly number[];
  ceiling: number;
  height?: number;
}

/** 24 bars of latency against the ceiling, with a line for the prediction; a table of the same figures for readers. */
export function HourStrip({ title, now, after, ceiling, height = 54 }: Props) {
  const strip = barHeights(now, after ?? [], ceiling, height);
  return (
    <figure style={{ margin: 0, position: "relative" }}>
      <svg
        viewBox={`0 0 264 ${String(height)}`}
        width="100%"
        height={height}
        aria-hidden
        preserveAspectRatio="none"
      >
        {strip.bars.map((bar, hour) => (
          <rect
            key={hour}
            x={hour * 11}
            y={height - bar}
            width="9"
            height={bar}
            fill={(now[hour] ?? 0) > ceiling ? "var(--buoy)" : "var(--heat2)"}
          />
        ))}
        {strip.lines.map((line, hour) => (
          <line
            key={hour}
            x1={hour * 11 - 1}
            x2={hour * 11 + 10}
            y1={height - line}
            y2={height - line}
            stroke="var(--ink)"
            strokeWidth="2"
          />
        ))}
        <line
          x1="0"
          x2="264"
          y1={height - strip.ceiling}
          y2={height - strip.ceiling}
          stroke="var(--ink)"
          strokeDasharray="3 3"
        />
      </svg>
      <table style={HIDDEN} aria-label={title}>
        <tbody>
          {now.map((value, hour) => (
            <tr key={hour}>
              <th scope="row">{formatHour(hour)}</th>
              <td>{formatMs(value)}</td>
              {after && <td>{formatMs(after[hour] ?? 0)} after</td>}
            </tr>
          ))}
        </tbody>
      </table>
      <figcaption
        className="mono"
        style={{ display: "flex", justifyContent: "space-between", fontSize: 11, color: "var(--mute)" }}
      >
        <span>00 UTC</span>
        <span>{after ? "bars now, lines after" : `dashes: ceiling ${ceiling.toFixed(0)} ms`}</span>
        <span>23</span>
      </figcaption>
    </figure>
  );
}
