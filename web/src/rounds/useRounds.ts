import { useQuery } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";

export type Finding = Schemas["FindingAnswer"];

/** What wants attention today. */
export function useRounds() {
  return useQuery({
    queryKey: ["rounds"],
    queryFn: () => unwrap(api.GET("/api/rounds/")),
    refetchInterval: 10_000,
  });
}
