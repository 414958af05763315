import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";

export type LotDetail = Schemas["LotDetail"];

const RUNNING_MS = 1000;

/** Whether the worker is on it. */
export const isActive = (state: Schemas["LotState"]): boolean => state === "running" || state === "halting";

/** A lot; one that runs is asked for every second, so that it moves by itself. */
export const lotQuery = (id: number) => ({
  ...queryOptions("get", "/api/lots/{id}/", { params: { path: { id: String(id) } } }),
  refetchInterval: (query: { state: { data?: LotDetail | undefined } }) =>
    query.state.data && isActive(query.state.data.summary.state) ? RUNNING_MS : (false as const),
});
