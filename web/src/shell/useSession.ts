import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, SIGNED_OUT, unwrap } from "../api/client";

export const SESSION_KEY = ["session"];

/** Who is signed in; asked again as soon as any answer says that nobody is. */
export function useSession() {
  const queries = useQueryClient();
  useEffect(() => {
    const ask = () => void queries.invalidateQueries({ queryKey: SESSION_KEY });
    window.addEventListener(SIGNED_OUT, ask);
    return () => {
      window.removeEventListener(SIGNED_OUT, ask);
    };
  }, [queries]);
  return useQuery({
    queryKey: SESSION_KEY,
    queryFn: () => unwrap(api.GET("/api/session/")),
    staleTime: 60_000,
    refetchInterval: (query) => (query.state.error ? 3000 : false),
  });
}
