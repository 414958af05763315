import type { ReactNode } from "react";

export type Value = string | number | boolean | null;

/** A column, declared once: its head, its cells, its place in CSV, and how rows are sorted by it. */
export interface Column<Row> {
  /** Unique in its table; the server's name of it where the server sorts. */
  key: string;
  head: string;
  /** What it says in CSV, by which it is sorted, and in the cell where `cell` shows nothing else. */
  value: (row: Row) => Value;
  cell?: (row: Row) => ReactNode;
  /** Name in CSV, with the unit: `size_bytes`. The key otherwise. */
  csv?: string;
  /** Figures stand at the right, in the type of figures. */
  figures?: boolean;
  /** In the type of figures, at the left: addresses, ids. */
  mono?: boolean;
  /** Width in px where rows are virtual; others share what is left. */
  width?: number;
  /** Stays in sight when scrolled sideways; the first column only. */
  sticky?: boolean;
  sortable?: boolean;
  /** Only on screen, as a button; left out of CSV. */
  screenOnly?: boolean;
}

/** Rows of a CSV file of these columns, beneath their heads. */
export function csvOf<Row>(columns: readonly Column<Row>[], rows: readonly Row[]) {
  const written = columns.filter((column) => !column.screenOnly);
  return {
    heads: written.map((column) => column.csv ?? column.key),
    rows: () => rows.map((row) => written.map((column) => column.value(row))),
  };
}

/** How two values stand in a sorted column: numbers by size, text as people count, what is missing last. */
export function compareValues(a: Value, b: Value): number {
  if (a === null || b === null) return Number(a === null) - Number(b === null);
  if (typeof a === "number" && typeof b === "number") return a - b;
  return String(a).localeCompare(String(b), "en", { numeric: true });
}
