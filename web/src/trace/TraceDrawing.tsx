import Box from "@mui/material/Box";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/problem";
import { useUnit } from "../parts/unit";
import { chainOf, type Layout, layoutOf, type Spot } from "./layout";
import { NAMES } from "./names";

const WIDE = 892;
const GAP = 30;
const HEAD = 22;
const ROW = 30;
/** How much wider than others a column is: disks have long names and sizes. */
const WEIGHT: Record<string, number> = { disk: 1.5, pool: 1.2, array: 0.7 };
const TALL = 24;
const LETTER = 6.3;
/** Things beneath the chain stand side by side, so many in a row. */
const BESIDE = 4;

const shortened = (text: string, most: number) => (text.length > most ? `${text.slice(0, most - 1)}…` : text);

interface Place {
  x: number;
  y: number;
  width: number;
}

/** Where each column begins and how wide it is. */
function placesOf(layout: Layout): { x: number; width: number }[] {
  const weights = layout.columns.map((kinds) => Math.max(...kinds.map((kind) => WEIGHT[kind] ?? 1)));
  const one = (WIDE - GAP * (weights.length - 1)) / weights.reduce((sum, each) => sum + each, 0);
  let x = 0;
  return weights.map((weight) => {
    const place = { x, width: weight * one };
    x += place.width + GAP;
    return place;
  });
}

/** The chain drawn: things in columns from machine to array, a line wherever one leads to the next; hosts beneath. */
export function TraceDrawing({ trace }: { trace: Schemas["Trace"] }) {
  const layout = useMemo(() => layoutOf(trace), [trace]);
  const [pointed, setPointed] = useState<string | null>(null);
  const chain = pointed ? chainOf(pointed, layout.lines) : null;
  const places = placesOf(layout);
  const beneath = HEAD + layout.rows * ROW + HEAD;
  const at = (spot: Spot): Place => {
    if (spot.column !== null) {
      return { ...(places[spot.column] ?? { x: 0, width: 0 }), y: HEAD + spot.row * ROW };
    }
    const width = (WIDE - GAP * (BESIDE - 1)) / BESIDE;
    return {
      x: (spot.row % BESIDE) * (width + GAP),
      y: beneath + Math.floor(spot.row / BESIDE) * ROW,
      width,
    };
  };
  const height = layout.beneath ? beneath + Math.ceil(layout.beneath / BESIDE) * ROW : beneath - HEAD;
  return (
    <Box
      sx={{
        border: "1px solid var(--line)",
        borderRadius: "6px",
        background: "var(--card)",
        p: 1.25,
        mb: 1.5,
      }}
    >
      <svg
        viewBox={`-2 -2 ${String(WIDE + 4)} ${String(height)}`}
        style={{ width: "100%", maxWidth: 1240, display: "block" }}
        role="group"
        aria-label="Trace, drawn from machine to array"
      >
        {layout.columns.map((kinds, n) => (
          <text key={kinds.join(" ")} x={places[n]?.x} y={12} fontSize={11.5} fill="var(--mute)">
            {kinds.map((kind) => NAMES[kind] ?? kind).join(", ")}
          </text>
        ))}
        {layout.beneath > 0 && (
          <text x={0} y={beneath - 8} fontSize={11.5} fill="var(--mute)">
            Reached through
          </text>
        )}
        <Lines layout={layout} chain={chain} at={at} />
        {layout.spots.map((spot) => (
          <SpotMark
            key={spot.key}
            spot={spot}
            place={at(spot)}
            dim={chain !== null && !chain.has(spot.key)}
            point={setPointed}
          />
        ))}
      </svg>
    </Box>
  );
}

interface LinesProps {
  layout: Layout;
  chain: Set<string> | null;
  at: (spot: Spot) => Place;
}

function Lines({ layout, chain, at }: LinesProps) {
  const spots = new Map(layout.spots.map((spot) => [spot.key, spot]));
  return layout.lines.map(([from, to]) => {
    const [left, right] = [spots.get(from), spots.get(to)];
    // What stands beneath is joined by pointing at it.
    if (!left || !right || left.column === null || right.column === null) return null;
    const [a, b] = [at(left), at(right)];
    const [x1, y1, x2, y2] = [a.x + a.width, a.y + TALL / 2, b.x, b.y + TALL / 2];
    const bend = (x2 - x1) / 2;
    const lit = chain !== null && chain.has(from) && chain.has(to);
    return (
      <path
        key={`${from}>${to}`}
        d={`M${String(x1)} ${String(y1)} C${String(x1 + bend)} ${String(y1)} ${String(x2 - bend)} ${String(y2)} ${String(x2)} ${String(y2)}`}
        fill="none"
        stroke={lit ? "var(--tide)" : "var(--mute)"}
        strokeWidth={lit ? 1.8 : 1}
        opacity={chain !== null && !lit ? 0.25 : 0.75}
      />
    );
  });
}

interface MarkProps {
  spot: Spot;
  place: Place;
  dim: boolean;
  point: (key: string | null) => void;
}

/** One thing: its name, and its size where there is room; what stands for several leads nowhere. */
function SpotMark({ spot, place, dim, point }: MarkProps) {
  const { width } = place;
  const { size } = useUnit();
  const figure = spot.size_bytes === null ? spot.total : size(spot.size_bytes);
  const room = Math.floor((width - 14 - figure.length * LETTER) / LETTER);
  const colour = spot.here ? "var(--card)" : "var(--ink)";
  const face = (
    <g transform={`translate(${String(place.x)} ${String(place.y)})`} opacity={dim ? 0.45 : 1}>
      <title>{[spot.kind.replace("_", " "), spot.name, figure, spot.note].filter(Boolean).join(", ")}</title>
      <rect
        width={width}
        height={TALL}
        rx={4}
        fill={spot.here ? "var(--ink)" : spot.id === null ? "var(--paper)" : "var(--card)"}
        stroke={spot.kind === "host" ? "var(--tide)" : "var(--mute)"}
        strokeDasharray={spot.id === null ? "3 3" : undefined}
      />
      <text x={6} y={16} fontSize={11.5} fill={colour}>
        {shortened(spot.name, Math.max(4, room))}
      </text>
      <text x={width - 6} y={16} fontSize={10} textAnchor="end" className="mono" fill={colour} opacity={0.8}>
        {figure}
      </text>
    </g>
  );
  if (spot.id === null) return face;
  return (
    <Link
      to={`/trace/${spot.kind}/${String(spot.id)}`}
      aria-label={`${spot.kind.replace("_", " ")} ${spot.name}`}
      onMouseEnter={() => {
        point(spot.key);
      }}
      onMouseLeave={() => {
        point(null);
      }}
      onFocus={() => {
        point(spot.key);
      }}
      onBlur={() => {
        point(null);
      }}
    >
      {face}
    </Link>
  );
}
