import type { Schemas } from "../api/problem";
import { countOf } from "../parts/format";

type Trace = Pick<Schemas["Trace"], "kind" | "id" | "layers" | "edges" | "ways">;
type Entry = Schemas["Link"];

/** Columns of the chain, from machine to array; an array stands beneath its drives. */
const COLUMNS = [
  ["machine"],
  ["disk"],
  ["datastore"],
  ["volume"],
  ["pool"],
  ["drive_group", "array", "portal"],
];
/** What the chain is reached through stands beneath it, as lines to all of it would cross one another. */
const BENEATH = ["host", "port"];
/** As many things of a kind are drawn; the rest is folded into one that says how many. */
const MOST: Record<string, number> = { disk: 8, host: 12, port: 8 };
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
  /** In the chain; null for what stands beneath it, where `row` counts along. */
  column: number | null;
  row: number;
  /** What there is of it in all: machines, paths. */
  total: string;
}

export interface Layout {
  spots: Spot[];
  /** Pairs of keys, from the machine's side to the array's. */
  lines: [string, string][];
  /** Of the chain; how many things stand beneath it. */
  rows: number;
  beneath: number;
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
  const beneath = trace.layers
    .filter((layer) => BENEATH.includes(layer.kind))
    .flatMap((layer) => spotsOf(layer, trace, null, spotOf));
  beneath.forEach((spot, n) => {
    spot.row = n;
  });
  const lines = joined(trace, spotOf);
  settle(columns, lines);
  const rows = Math.max(...columns.map((spots) => spots.length), 1);
  for (const spots of columns) {
    spots.forEach((spot, n) => {
      spot.row = n + (rows - spots.length) / 2;
    });
  }
  const kinds = used.map((layers) => layers.map((layer) => layer.kind));
  const spots = [...columns.flat(), ...beneath];
  for (const spot of spots) spot.total = totalOf(spot, trace);
  return { spots, lines, rows, beneath: beneath.length, columns: kinds };
}

/** Machines and paths of a host, paths of an array; nothing for what has a size. */
function totalOf({ kind, id }: Spot, trace: Trace): string {
  if (id === null || (kind !== "host" && kind !== "array")) return "";
  const ways = trace.ways.filter((way) => kind === "array" || way.host_id === id);
  const paths = ways.reduce((sum, way) => sum + way.paths.length, 0);
  const machines = trace.edges.filter(
    (edge) => edge.kind === "machine" && edge.to_kind === kind && edge.to_id === id,
  );
  const several = trace.layers
    .filter((layer) => layer.kind === "array")
    .some((layer) => layer.links.length > 1);
  return [
    machines.length ? countOf(machines.length, "machine") : "",
    paths && !(kind === "array" && several) ? countOf(paths, "path") : "",
  ]
    .filter(Boolean)
    .join(", ");
}

function spotsOf(
  layer: Schemas["Layer"],
  trace: Trace,
  column: number | null,
  spotOf: Map<string, string>,
): Spot[] {
  const { shown, folded } = drawn(layer, trace);
  const spots: Spot[] = shown.map((entry) => {
    spotOf.set(keyOf(layer.kind, entry.id), keyOf(layer.kind, entry.id));
    const here = layer.kind === trace.kind && entry.id === trace.id;
    return { ...entry, key: keyOf(layer.kind, entry.id), kind: layer.kind, here, column, row: 0, total: "" };
  });
  const count = folded.length + layer.more;
  if (count === 0) return spots;
  const key = keyOf(layer.kind, "more");
  for (const entry of folded) spotOf.set(keyOf(layer.kind, entry.id), key);
  const size_bytes = folded.reduce((sum, entry) => sum + (entry.size_bytes ?? 0), 0) || null;
  const more = { key, kind: layer.kind, id: null, note: "", here: false, column, row: 0, total: "" };
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
