import type { Cell } from "./queries";
import type { Schemas } from "../api/problem";

type Column = Schemas["FitColumn"];

/** Beyond so many datastores the board shows pools. */
const COLUMNS_MAX = 40;

/** A column of the board: a datastore, or all of a pool where there are too many. */
export interface FoldedColumn {
  key: string;
  name: string;
  pool: string;
  /** The datastore; null where the column stands for several. */
  store: number | null;
  of: (cells: ReadonlyMap<number, Cell>) => Cell;
}

const NOTHING: Cell = { store: 0, answer: "not known", disks: 0, out: 0 };
/** The best answer of a pool's datastores is the pool's. */
const RANK = ["has it", "can make it", "not known", "cannot"] as const;

function joined(cells: readonly Cell[]): Cell {
  const best = RANK.find((answer) => cells.some((cell) => cell.answer === answer)) ?? "not known";
  const sum = (of: (cell: Cell) => number) => cells.reduce((total, cell) => total + of(cell), 0);
  return { store: 0, answer: best, disks: sum((cell) => cell.disks), out: sum((cell) => cell.out) };
}

/** The columns as they are shown. */
export function folded(columns: readonly Column[]): FoldedColumn[] {
  if (columns.length <= COLUMNS_MAX) {
    return columns.map(({ id, name, pool }) => ({
      key: String(id),
      name,
      pool,
      store: id,
      of: (cells) => cells.get(id) ?? NOTHING,
    }));
  }
  const pools = new Map<string, Column[]>();
  for (const column of columns) {
    const key = `${column.array} ${column.pool}`;
    pools.set(key, [...(pools.get(key) ?? []), column]);
  }
  return [...pools].map(([key, members]) => ({
    key,
    name: members[0]?.pool ? members[0].pool : "own drives",
    pool: members[0]?.array ?? "",
    store: null,
    of: (cells) => joined(members.map(({ id }) => cells.get(id) ?? NOTHING)),
  }));
}
