import type { Column } from "./geometry";
import type { Move } from "./queries";

interface Props {
  columns: readonly Column[];
  moves: readonly Move[];
  width: number;
  gap: number;
  height: number;
}

/** A thin line from where each planned disk is to where it will be. */
export function MoveLines({ columns, moves, width, gap, height }: Props) {
  const left = (n: number) => gap / 2 + n * (width + gap);
  return (
    <svg
      width={columns.length * (width + gap)}
      height={height}
      style={{ position: "absolute", inset: 0, pointerEvents: "none", overflow: "visible" }}
      aria-hidden
    >
      {moves.map((move) => {
        const from = columns.findIndex((column) => column.id === move.source);
        const to = columns.findIndex((column) => column.id === move.target);
        const start = columns[from]?.blocks.find((block) => block.id === move.disk);
        const end = columns[to]?.arriving.find((block) => block.id === move.disk);
        if (!start || !end) return null;
        const right = to > from;
        const x1 = left(from) + (right ? width : 0);
        const x2 = left(to) + (right ? 0 : width);
        const y1 = start.top + start.height / 2;
        const y2 = end.top + end.height / 2;
        const bend = (x2 - x1) / 2;
        return (
          <g
            key={`${String(move.disk)} ${String(move.target)}`}
            stroke="var(--ink)"
            fill="none"
            strokeWidth="1.3"
          >
            <path
              d={`M${String(x1)} ${String(y1)}C${String(x1 + bend)} ${String(y1)} ${String(x2 - bend)} ${String(y2)} ${String(x2)} ${String(y2)}`}
            />
            <circle cx={x2} cy={y2} r="3" fill="var(--ink)" />
          </g>
        );
      })}
    </svg>
  );
}
