import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { putAnswer } from "../api/cache";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { followed, resultOf } from "../jobs/followed";
import { formPath } from "../shell/pages";
import { useTray } from "../shell/trayState";
import { type LotDetail, lotQuery } from "./queries";

/** The kind and the form of a lot to be drafted. */
export type NewLot = Schemas["NewLotRequest"];

/** A new lot in draft; one that takes long to compute is drafted by a job. */
async function drafted(body: NewLot): Promise<LotDetail> {
  const made = await unwrap(api.POST("/api/lots/", { body }));
  if ("summary" in made) return made;
  const done = await followed(Promise.resolve(made));
  const { lot } = resultOf(done, "draft");
  return unwrap(api.GET("/api/lots/{id}/", { params: { path: { id: String(lot) } } }));
}

/** Drafts a lot, shows it in the tray, and opens the page on which it can be changed. */
export function useDraft() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { show } = useTray();
  return useMutation({
    mutationFn: drafted,
    onSuccess: async (lot) => {
      const { id, kind } = lot.summary;
      await putAnswer(queries, lotQuery(id).queryKey, lot);
      show(id);
      void navigate(formPath(kind, id) ?? `/lots/${String(id)}`);
    },
  });
}
