import type { Schemas } from "../api/problem";

type Trace = Pick<Schemas["Trace"], "kind" | "id" | "layers" | "edges">;
type Entry = Schemas["Link"];

/** Columns of the drawing, from machine to array; hosts and their ports stand beneath the disks, an array beneath its drives. */
const COLUMNS = [
  ["machine"],
  ["disk", "host", "port"],
  ["datastore"],
  ["volume"],
  ["pool"],
  ["drive_group", "array", "portal"],
];
/** As many things of a kind are drawn; the rest is folded into one that says how many. */
const MOST: Record<string, number> = { disk: 8, host: 7 };
const MOST_ELSE = 14;

export interface Spot {
  key: string;
  kind: string;
  /** Null for what stands for several. */
  id: number | null;
  name: string;
  size_bytes: number | null;
  note: string;
  here: boolean;
  column: number;
  row: number;
}

export interface Layout {
  spots: Spot[];
  /** Pairs of keys, from the machine's side to the array's. */
  lines: [string, string][];
  rows: number;
  /** The kinds of each column. */
  columns: string[][];
}

const keyOf = (kind: string, id: number | "more") => `${kind} ${String(id)}`;

/** Those of a layer that are drawn: the thing itself, then the largest; and how many are not. */
function drawn(layer: Schemas["Layer"], trace: Trace): { shown: Entry[]; folded: Entry[] } {
  const most = MOST[layer.kind] ?? MOST_ELSE;
  const here = (entry: Entry) => layer.kind === trace.kind && entry.id === trace.id;
  const bySize = [...layer.links].sort(
    (a, b) => Number(here(b)) - Number(here(a)) || (b.size_bytes ?? 0) - (a.size_bytes ?? 0),
  );
  const fits = layer.links.length + layer.more <= most;
  const chosen = new Set((fits ? bySize : bySize.slice(0, most - 1)).map((entry) => entry.id));
  return {
    shown: layer.links.filter((entry) => chosen.has(entry.id)),
    folded: layer.links.filter((entry) => !chosen.has(entry.id)),
  };
}

/** Where each thing of a trace is drawn, and what joins them; neighbours stand near one another. */
export function layoutOf(trace: Trace): Layout {
  const used = COLUMNS.map((kinds) => trace.layers.filter((layer) => kinds.includes(layer.kind))).filter(
    (layers) => layers.length > 0,
  );
  const spotOf = new Map<string, string>();
  const columns = used.map((layers, column) =>
    layers.flatMap((layer) => spotsOf(layer, trace, column, spotOf)),
  );
  const lines = joined(trace, spotOf);
  settle(columns, lines);
  const rows = Math.max(...columns.map((spots) => spots.length), 1);
  for (const spots of columns) {
    spots.forEach((spot, n) => {
      spot.row = n + (rows - spots.length) / 2;
    });
  }
  const kinds = used.map((layers) => layers.map((layer) => layer.kind));
  return { spots: columns.flat(), lines, rows, columns: kinds };
}

function spotsOf(layer: Schemas["Layer"], trace: Trace, column: number, spotOf: Map<string, string>): Spot[] {
  const { shown, folded } = drawn(layer, trace);
  const spots: Spot[] = shown.map((entry) => {
    spotOf.set(keyOf(layer.kind, entry.id), keyOf(layer.kind, entry.id));
    const here = layer.kind === trace.kind && entry.id === trace.id;
    return { ...entry, key: keyOf(layer.kind, entry.id), kind: layer.kind, here, column, row: 0 };
  });
  const count = folded.length + layer.more;
  if (count === 0) return spots;
  const key = keyOf(layer.kind, "more");
  for (const entry of folded) spotOf.set(keyOf(layer.kind, entry.id), key);
  const size_bytes = folded.reduce((sum, entry) => sum + (entry.size_bytes ?? 0), 0) || null;
  const more = { key, kind: layer.kind, id: null, note: "", here: false, column, row: 0 };
  return [...spots, { ...more, name: `${String(count)} more`, size_bytes }];
}

function joined(trace: Trace, spotOf: Map<string, string>): [string, string][] {
  const lines = new Map<string, [string, string]>();
  for (const edge of trace.edges) {
    const from = spotOf.get(keyOf(edge.kind, edge.id));
    const to = spotOf.get(keyOf(edge.to_kind, edge.to_id));
    if (from && to) lines.set(`${from}>${to}`, [from, to]);
  }
  return [...lines.values()];
}

/** Bring each column's things near their neighbours in the columns before it, then after it; kinds stay together. */
function settle(columns: Spot[][], lines: [string, string][]) {
  const near = new Map<string, string[]>();
  for (const [from, to] of lines) {
    near.set(from, [...(near.get(from) ?? []), to]);
    near.set(to, [...(near.get(to) ?? []), from]);
  }
  const order = (spots: Spot[], beside: Spot[]) => {
    const place = new Map(beside.map((spot, n) => [spot.key, n]));
    const kinds = [...new Set(spots.map((spot) => spot.kind))];
    const mean = (spot: Spot, n: number) => {
      const found = (near.get(spot.key) ?? []).flatMap((key) => place.get(key) ?? []);
      return found.length ? found.reduce((sum, at) => sum + at, 0) / found.length : n;
    };
    const means = new Map(spots.map((spot, n) => [spot.key, mean(spot, n)]));
    spots.sort(
      (a, b) =>
        kinds.indexOf(a.kind) - kinds.indexOf(b.kind) ||
        Number(a.id === null) - Number(b.id === null) ||
        (means.get(a.key) ?? 0) - (means.get(b.key) ?? 0),
    );
  };
  for (let n = 1; n < columns.length; n++) order(columns[n] ?? [], columns[n - 1] ?? []);
  for (let n = columns.length - 2; n >= 0; n--) order(columns[n] ?? [], columns[n + 1] ?? []);
}

/** All that lies on the chain through one thing, both ways: lines are followed away from it only. */
export function chainOf(key: string, lines: [string, string][]): Set<string> {
  const found = new Set([key]);
  const follow = (from: 0 | 1) => {
    let edge = [key];
    while (edge.length) {
      const next = lines.filter((line) => edge.includes(line[from])).map((line) => line[from === 0 ? 1 : 0]);
      edge = next.filter((each) => !found.has(each));
      for (const each of next) found.add(each);
    }
  };
  follow(0);
  follow(1);
  return found;
}
