import { useCallback } from "react";
import { useSearchParams } from "react-router";

export interface Sorting {
  key: string;
  descending: boolean;
}

/** What of a table is kept in the address, so that a reload or a link shows the same: sorting, filters, and where it stands. */
export interface TableUrl<Filter extends string> {
  sorting: Sorting | null;
  sort: (sorting: Sorting | null) => void;
  filters: Record<Filter, string>;
  filter: (name: Filter, value: string) => void;
  /** Number of the first row shown, from 0. */
  at: number;
  scrolled: (at: number) => void;
}

/** `fallback` is the order without one in the address. */
export function useTableUrl<Filter extends string>(
  names: readonly Filter[],
  fallback: Sorting | null = null,
): TableUrl<Filter> {
  const [search, setSearch] = useSearchParams();
  const text = search.get("sort");
  const put = useCallback(
    (name: string, value: string) => {
      setSearch(
        (before) => {
          const next = new URLSearchParams(before);
          if (value) next.set(name, value);
          else next.delete(name);
          // Rows in another order, or others, begin at the top.
          if (name !== "at") next.delete("at");
          return next;
        },
        { replace: true },
      );
    },
    [setSearch],
  );
  const scrolled = useCallback(
    (at: number) => {
      put("at", at ? String(at) : "");
    },
    [put],
  );
  return {
    sorting: text ? { key: text.replace(/^-/, ""), descending: text.startsWith("-") } : fallback,
    sort: (sorting) => {
      put("sort", sorting ? `${sorting.descending ? "-" : ""}${sorting.key}` : "");
    },
    filters: Object.fromEntries(names.map((name) => [name, search.get(name) ?? ""])) as Record<
      Filter,
      string
    >,
    filter: put,
    at: Math.max(0, Number(search.get("at")) || 0),
    scrolled,
  };
}
