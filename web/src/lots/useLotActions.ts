import { useMutation, useQueryClient } from "@tanstack/react-query";
import { askAnewBut, putAnswer } from "../api/cache";
import { api, unwrap } from "../api/client";
import { ProblemError, problemOf } from "../api/problem";
import { useJob } from "../jobs/useJob";
import { sessionQuery } from "../shell/queries";
import { useTray } from "../shell/trayState";
import { openForm } from "./drafts/useDraftForm";
import { type LotDetail, lotQuery } from "./queries";

/** Check, run, halt, undo and drop a lot; each puts the answer where the lot is shown. */
export function useLotActions(id: number, version: string) {
  const queries = useQueryClient();
  const { show } = useTray();
  const path = { id: String(id) };
  const lotKey = lotQuery(id).queryKey;
  const put = (lot: LotDetail) => {
    void putAnswer(queries, lotQuery(lot.summary.id).queryKey, lot);
    // What was just answered is as new as can be; all else may rest on it.
    askAnewBut(queries, [sessionQuery().queryKey, lotQuery(lot.summary.id).queryKey]);
  };
  // A refused run has read and checked the lot anew: what is shown has to follow.
  const onError = () => void queries.invalidateQueries({ queryKey: lotKey });
  /** What was seen is what runs or goes: the form as typed, once it is stored. */
  const seen = async () => {
    const form = openForm(queries, id);
    if (!form) return { "If-Match": `"${version}"` };
    try {
      return { "If-Match": `"${await form.settle()}"` };
    } catch (error) {
      const problem = problemOf(error);
      throw new ProblemError({
        ...problem,
        title: `What you typed is not stored, so nothing was begun. ${problem.title}`,
      });
    }
  };
  const look = () => unwrap(api.GET("/api/lots/{id}/", { params: { path } }));
  const check = useJob({
    ask: async () => {
      await seen();
      return unwrap(api.POST("/api/lots/{id}/check/", { params: { path } }));
    },
    look,
    onSuccess: put,
    onError,
  });
  const run = useJob({
    ask: async () => unwrap(api.POST("/api/lots/{id}/run/", { params: { path, header: await seen() } })),
    look,
    onSuccess: put,
    onError,
  });
  const halt = useMutation({
    mutationFn: () => unwrap(api.POST("/api/lots/{id}/halt/", { params: { path } })),
    onSuccess: put,
    onError,
  });
  const undo = useMutation({
    mutationFn: () => unwrap(api.POST("/api/lots/{id}/undo/", { params: { path } })),
    // Here and not where it is drawn: the tray folds on the lot's own page, and its button goes with it.
    onSuccess: (drafted) => {
      put(drafted);
      show(drafted.summary.id);
    },
    onError,
  });
  const carriedOut = useMutation({
    mutationFn: () => unwrap(api.POST("/api/lots/{id}/carried_out/", { params: { path } })),
    onSuccess: put,
    onError,
  });
  const drop = useMutation({
    mutationFn: async () => unwrap(api.DELETE("/api/lots/{id}/", { params: { path, header: await seen() } })),
    onSuccess: () => {
      queries.removeQueries({ queryKey: lotKey });
      void queries.invalidateQueries();
    },
    onError,
  });
  const all = [check, run, halt, undo, carriedOut, drop];
  return {
    check,
    run,
    halt,
    undo,
    carriedOut,
    drop,
    error: all.find((each) => each.error)?.error ?? null,
    busy: all.some((each) => each.isPending),
  };
}
