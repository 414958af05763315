import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import { useJob } from "../jobs/useJob";
import { type LotDetail, lotKey } from "./useLot";

/** Check, run, halt, undo and drop a lot; each puts the answer where the lot is shown. */
export function useLotActions(id: number, version: string) {
  const queries = useQueryClient();
  const path = { params: { path: { id: String(id) } } };
  // What was seen is what runs or goes: the server refuses where somebody made another lot of it.
  const seen = { params: { ...path.params, header: { "If-Match": `"${version}"` } } };
  const put = (lot: LotDetail) => {
    queries.setQueryData(lotKey(lot.summary.id), lot);
    void queries.invalidateQueries({ predicate: (query) => query.queryKey[0] !== "session" });
  };
  // A refused run has read and checked the lot anew: what is shown has to follow.
  const onError = () => void queries.invalidateQueries({ queryKey: lotKey(id) });
  const look = () => unwrap(api.GET("/api/lots/{id}/", path));
  const check = useJob({
    ask: () => unwrap(api.POST("/api/lots/{id}/check/", path)),
    look,
    onSuccess: put,
    onError,
  });
  const run = useJob({
    ask: () => unwrap(api.POST("/api/lots/{id}/run/", seen)),
    look,
    onSuccess: put,
    onError,
  });
  const halt = useMutation({
    mutationFn: () => unwrap(api.POST("/api/lots/{id}/halt/", path)),
    onSuccess: put,
    onError,
  });
  const undo = useMutation({
    mutationFn: () => unwrap(api.POST("/api/lots/{id}/undo/", path)),
    onSuccess: put,
    onError,
  });
  const carriedOut = useMutation({
    mutationFn: () => unwrap(api.POST("/api/lots/{id}/carried_out/", path)),
    onSuccess: put,
    onError,
  });
  const drop = useMutation({
    mutationFn: () => unwrap(api.DELETE("/api/lots/{id}/", seen)),
    onSuccess: () => void queries.invalidateQueries({ queryKey: ["lots"] }),
    onError,
  });
  return {
    check,
    run,
    halt,
    undo,
    carriedOut,
    drop,
    error: check.error ?? run.error ?? halt.error ?? undo.error ?? carriedOut.error ?? drop.error,
  };
}
