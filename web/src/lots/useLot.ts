import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { askAnewBut } from "../api/cache";
import { sessionQuery } from "../shell/queries";
import { isActive, lotQuery } from "./queries";

/**
 * A lot that is watched. Once it has ended all else that is shown is asked anew at once: nothing says that it runs for
 * longer than the lot itself does.
 */
export function useLot(id: number) {
  const queries = useQueryClient();
  const query = useQuery(lotQuery(id));
  const state = query.data?.summary.state;
  const ran = useRef<number | null>(null);
  useEffect(() => {
    if (state === undefined) return;
    if (isActive(state)) {
      ran.current = id;
    } else if (ran.current === id) {
      ran.current = null;
      askAnewBut(queries, [sessionQuery().queryKey, lotQuery(id).queryKey]);
    }
  }, [queries, id, state]);
  return query;
}
