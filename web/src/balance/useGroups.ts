import { useQuery } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";

/** All balance groups. */
export function useGroups() {
  return useQuery({ queryKey: ["groups"], queryFn: () => unwrap(api.GET("/api/balance/groups/")) });
}
