import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { askAnewBut } from "../api/cache";
import { sessionQuery, statusQuery } from "./queries";

export const useStatus = () => useQuery(statusQuery());

/**
 * Has all that is shown asked anew when the server's revision changes: pages poll nothing by themselves. Used once, by
 * the frame.
 */
export function useRevision(): void {
  const queries = useQueryClient();
  const { data } = useStatus();
  const revision = data?.revision;
  const known = useRef(revision);
  useEffect(() => {
    if (revision === undefined || known.current === revision) return;
    const first = known.current === undefined;
    known.current = revision;
    if (first) return;
    askAnewBut(queries, [statusQuery().queryKey, sessionQuery().queryKey]);
  }, [queries, revision]);
}
