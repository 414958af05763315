import { type KeyboardEvent, useState } from "react";

const STEPS: Record<string, readonly [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/**
 * One tab stop for a picture of many things: arrow keys go from one to the next. `columns` has the things of each
 * column from top to bottom; a column that is shorter is entered at its last.
 */
export function useRoving(columns: readonly (readonly string[])[]) {
  const [chosen, setChosen] = useState<string | null>(null);
  const place = placeOf(columns, chosen);
  const current = place ? chosen : (columns.find((column) => column.length)?.[0] ?? null);
  const onKeyDown = (event: KeyboardEvent<HTMLElement>) => {
    const step = STEPS[event.key];
    if (!step) return;
    const next = neighbour(columns, placeOf(columns, current), step);
    if (next === null) return;
    event.preventDefault();
    setChosen(next);
    event.currentTarget.querySelector<HTMLElement>(`[data-stop="${CSS.escape(next)}"]`)?.focus();
  };
  return {
    /** For what holds the things. */
    onKeyDown,
    /** For a thing, by its name. */
    stop: (name: string) => ({
      "data-stop": name,
      tabIndex: name === current ? 0 : -1,
      onFocus: () => {
        setChosen(name);
      },
    }),
  };
}

type Place = readonly [number, number];

function placeOf(columns: readonly (readonly string[])[], name: string | null): Place | null {
  for (const [x, column] of columns.entries()) {
    const y = name === null ? -1 : column.indexOf(name);
    if (y >= 0) return [x, y];
  }
  return null;
}

function neighbour(
  columns: readonly (readonly string[])[],
  from: Place | null,
  [dx, dy]: Place,
): string | null {
  if (!from) return null;
  let [x, y] = from;
  if (dy) {
    y += dy;
  } else {
    // Past columns that have nothing.
    do x += dx;
    while (columns[x]?.length === 0);
    y = Math.min(y, (columns[x]?.length ?? 0) - 1);
  }
  return columns[x]?.[y] ?? null;
}
