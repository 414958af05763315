/** Pure geometry of a large group's picture: stores over a ceiling, the bytes that leave them, the pools that take these. */
export interface StoreIn {
  id: number;
  name: string;
  pool: number;
  fill: number;
  over: boolean;
}

export interface MoveIn {
  source: number;
  target: number;
  size_bytes: number;
}

export interface Row {
  key: string;
  /** Null for the row of all others together. */
  id: number | null;
  name: string;
  bytes: number;
  /** Middle of the row, in px. */
  y: number;
  /** How many the row stands for. */
  count: number;
}

export interface Flow {
  from: Row;
  to: Row;
  bytes: number;
  width: number;
}

export interface Flows {
  sources: Row[];
  receivers: Row[];
  flows: Flow[];
}

const SOURCES = 8;
const RECEIVERS = 6;
const WIDEST_PX = 14;

interface In {
  stores: readonly StoreIn[];
  pools: ReadonlyMap<number, string>;
  moves: readonly MoveIn[];
  /** How far rows are apart, in px. */
  row: number;
}

/** The worst stores and what leaves them, at the left; the pools that receive most, at the right; all others as one row. */
export function flowsOf({ stores, pools, moves, row }: In): Flows {
  const poolOf = new Map(stores.map((store) => [store.id, store.pool]));
  const leaves = sumBy(moves, (move) => move.source);
  const arrives = sumBy(moves, (move) => poolOf.get(move.target) ?? -1);
  const wanted = stores
    .filter((store) => store.over || leaves.has(store.id))
    .sort((a, b) => b.fill - a.fill || a.name.localeCompare(b.name))
    .map((store) => ({ id: store.id, name: store.name, bytes: leaves.get(store.id) ?? 0 }));
  const taking = [...arrives]
    .map(([id, bytes]) => ({ id, name: pools.get(id) ?? "", bytes }))
    .sort((a, b) => b.bytes - a.bytes || a.name.localeCompare(b.name));
  const sources = rowsOf(wanted, SOURCES, row, "datastores");
  const receivers = rowsOf(taking, RECEIVERS, row * 1.5, "pools");
  return { sources, receivers, flows: between(sources, receivers, moves, poolOf) };
}

function sumBy(moves: readonly MoveIn[], key: (move: MoveIn) => number): Map<number, number> {
  const sums = new Map<number, number>();
  for (const move of moves) sums.set(key(move), (sums.get(key(move)) ?? 0) + move.size_bytes);
  return sums;
}

function rowsOf(
  things: readonly { id: number; name: string; bytes: number }[],
  most: number,
  apart: number,
  noun: string,
): Row[] {
  const shown = things.length > most + 1 ? things.slice(0, most) : things;
  const rest = things.slice(shown.length);
  const rows = shown.map((thing, n): Row => ({
    ...thing,
    key: String(thing.id),
    y: (n + 0.5) * apart,
    count: 1,
  }));
  if (rest.length)
    rows.push({
      key: "rest",
      id: null,
      name: `${String(rest.length)} more ${noun}`,
      bytes: rest.reduce((sum, thing) => sum + thing.bytes, 0),
      y: (rows.length + 0.5) * apart,
      count: rest.length,
    });
  return rows;
}

function between(
  sources: readonly Row[],
  receivers: readonly Row[],
  moves: readonly MoveIn[],
  poolOf: ReadonlyMap<number, number>,
): Flow[] {
  const rowOf = (rows: readonly Row[], id: number) =>
    rows.find((row) => row.id === id) ?? rows.find((row) => row.id === null);
  const found = new Map<string, Omit<Flow, "width">>();
  for (const move of moves) {
    const from = rowOf(sources, move.source);
    const to = rowOf(receivers, poolOf.get(move.target) ?? -1);
    if (!from || !to) continue;
    const key = `${from.key} ${to.key}`;
    found.set(key, { from, to, bytes: (found.get(key)?.bytes ?? 0) + move.size_bytes });
  }
  const most = Math.max(1, ...[...found.values()].map((flow) => flow.bytes));
  return [...found.values()].map((flow) => ({
    ...flow,
    width: Math.max(1.2, (flow.bytes / most) * WIDEST_PX),
  }));
}

export interface Bin {
  from: number;
  to: number;
  now: number;
  after: number;
  /** How many of those now are over the ceiling, which may lie within it. */
  overNow: number;
}

/** How many values fall into each of `count` equal steps up to `most`, now and after; the last step takes all beyond. */
export function histogram(
  now: readonly number[],
  after: readonly number[],
  { most, count, ceiling }: { most: number; count: number; ceiling: number },
): Bin[] {
  const step = most / count;
  const place = (value: number) => Math.min(count - 1, Math.max(0, Math.floor(value / step)));
  const bins = Array.from({ length: count }, (_, n): Bin => {
    const from = n * step;
    return { from, to: from + step, now: 0, after: 0, overNow: 0 };
  });
  for (const value of now) {
    const found = bin(bins, place(value));
    found.now += 1;
    if (value > ceiling) found.overNow += 1;
  }
  for (const value of after) bin(bins, place(value)).after += 1;
  return bins;
}

function bin(bins: readonly Bin[], place: number): Bin {
  const found = bins[place];
  if (!found) throw new RangeError(`there is no step ${String(place)}`);
  return found;
}
