import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { SIGNED_OUT } from "../api/client";
import { sessionQuery } from "./queries";

/** Who is signed in; asked again as soon as any answer says that nobody is. */
export function useSession() {
  const queries = useQueryClient();
  useEffect(() => {
    const ask = () => void queries.invalidateQueries({ queryKey: sessionQuery().queryKey });
    window.addEventListener(SIGNED_OUT, ask);
    return () => {
      window.removeEventListener(SIGNED_OUT, ask);
    };
  }, [queries]);
  return useQuery(sessionQuery());
}
