import { keepPreviousData, type QueryKey, useQueries } from "@tanstack/react-query";
import { useCallback, useState } from "react";

export const PAGE = 100;

interface Paged<Row> {
  count: number;
  results: Row[];
}
export interface PageOptions<Row> {
  queryKey: QueryKey;
  queryFn: (context: never) => Promise<Paged<Row>> | Paged<Row>;
  /** Ms after which a page is asked for again, by what it holds; never where it is not said. */
  again?: (rows: readonly Row[]) => number | false;
}

export interface ServerRows<Row> {
  /** How many there are; null while that is not known. */
  count: number | null;
  /** A row by its number, once its page has come. */
  row: (index: number) => Row | undefined;
  /** Rows that have come, in order. */
  known: Row[];
  /** Says which rows are in sight, so that their pages are asked for. */
  see: (first: number, last: number) => void;
  error: unknown;
  loading: boolean;
}

/**
 * Rows that the server sorts, filters and pages: only the pages in sight are asked for, however many there are.
 * `page` gives the query options of a page, counted from 1.
 */
export function useServerRows<Row>(page: (number: number) => PageOptions<Row>, at: number): ServerRows<Row> {
  const [seen, setSeen] = useState<readonly [number, number]>([pageOf(at), pageOf(at)]);
  const numbers = Array.from({ length: seen[1] - seen[0] + 1 }, (_, n) => seen[0] + n);
  const found = useQueries({
    queries: numbers.map((number) => {
      const { queryKey, queryFn, again } = page(number + 1);
      return {
        queryKey,
        queryFn: queryFn as () => Promise<Paged<Row>>,
        placeholderData: keepPreviousData,
        refetchInterval: (query: { state: { data?: Paged<Row> | undefined } }) =>
          again?.(query.state.data?.results ?? []) ?? false,
      };
    }),
    combine: (results) => ({
      pages: new Map(
        results.flatMap(({ data, isPlaceholderData }, n) =>
          data && !isPlaceholderData ? [[numbers[n] ?? 0, data.results] as const] : [],
        ),
      ),
      count: results.find(({ data }) => data)?.data?.count ?? null,
      error: results.find(({ error }) => error)?.error ?? null,
      loading: results.some(({ isPending }) => isPending),
    }),
  });
  const see = useCallback((first: number, last: number) => {
    const next = [pageOf(first), pageOf(last)] as const;
    setSeen((before) => (before[0] === next[0] && before[1] === next[1] ? before : next));
  }, []);
  return {
    count: found.count,
    row: (index) => found.pages.get(pageOf(index))?.[index % PAGE],
    known: [...found.pages.values()].flat(),
    see,
    error: found.error,
    loading: found.loading,
  };
}

const pageOf = (row: number) => Math.floor(Math.max(0, row) / PAGE);
