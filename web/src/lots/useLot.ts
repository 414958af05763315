import { useQuery } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";

export type LotDetail = Schemas["LotDetail"];
export const lotKey = (id: number) => ["lot", id];

/** Whether the worker is on it. */
export const isActive = (lot: LotDetail): boolean => ["running", "halting"].includes(lot.summary.state);

/** A lot; one that runs is asked for every second, so that it moves by itself. */
export function useLot(id: number | null) {
  return useQuery({
    queryKey: lotKey(id ?? 0),
    queryFn: () => unwrap(api.GET("/api/lots/{id}/", { params: { path: { id: String(id) } } })),
    enabled: id !== null,
    refetchInterval: (query) => (query.state.data && isActive(query.state.data) ? 1000 : false),
  });
}
