import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { putAnswer } from "../api/cache";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { followed, type Job, resultOf } from "../jobs/followed";
import { useJob } from "../jobs/useJob";
import { formPath } from "../shell/pages";
import { useTray } from "../shell/trayState";
import { type LotDetail, lotQuery } from "./queries";

/** The kind and the form of a lot to be drafted. */
export type NewLot = Schemas["NewLotRequest"];

const detailOf = async (done: Job): Promise<LotDetail> => {
  const { lot } = resultOf(done, "draft");
  return unwrap(api.GET("/api/lots/{id}/", { params: { path: { id: String(lot) } } }));
};

/** A new lot in draft; one that takes long to compute is drafted by a job. */
async function drafted(body: NewLot): Promise<LotDetail> {
  const made = await unwrap(api.POST("/api/lots/", { body }));
  return "summary" in made ? made : detailOf(await followed(Promise.resolve(made)));
}

/** Shows a lot in the tray, and opens the page on which it can be changed. */
function useOpened() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { show } = useTray();
  return async (lot: LotDetail) => {
    const { id, kind } = lot.summary;
    await putAnswer(queries, lotQuery(id).queryKey, lot);
    show(id);
    void navigate(formPath(kind, id) ?? `/lots/${String(id)}`);
  };
}

/** Drafts a lot, shows it in the tray, and opens the page on which it can be changed. */
export function useDraft() {
  return useMutation({ mutationFn: drafted, onSuccess: useOpened() });
}

/** The same for a kind that a job drafts, whose progress is shown and which can be ended with what there is by then. */
export function useLongDraft() {
  return useJob({
    ask: async (body: NewLot) => {
      const made = await unwrap(api.POST("/api/lots/", { body }));
      if ("summary" in made) throw new TypeError(`lots of kind ${body.kind} are drafted at once`);
      return made;
    },
    look: detailOf,
    onSuccess: useOpened(),
  });
}
