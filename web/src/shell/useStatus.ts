import { useQuery } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";

export const STATUS_KEY = ["status"];

/** What the frame shows on every page. */
export function useStatus() {
  return useQuery({
    queryKey: STATUS_KEY,
    queryFn: () => unwrap(api.GET("/api/status/")),
    refetchInterval: 5000,
  });
}
