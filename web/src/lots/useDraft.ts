import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { followed } from "../jobs/followed";
import { useTray } from "../shell/trayState";
import { lotKey } from "./useLot";

type NewLot = Schemas["NewLotRequest"];
type LotDetail = Schemas["LotDetail"];

const PAGES: Record<string, (id: number, form: Record<string, unknown>) => string> = {
  attach: (id) => `/attach?lot=${String(id)}`,
  attach_file: (id) => `/attach/file?lot=${String(id)}`,
  use_volume: (id) => `/attach/use?lot=${String(id)}`,
  interfaces: (id) => `/attach/interfaces?lot=${String(id)}`,
  attach_set: (id) => `/attach/set?lot=${String(id)}`,
  detach: (id) => `/attach/detach?lot=${String(id)}`,
  balance: (id, form) => `/balance/${encodeURIComponent(String(form.group))}?lot=${String(id)}`,
};

/** A new lot in draft; one that takes long to compute is drafted by a job. */
async function drafted(body: NewLot): Promise<LotDetail> {
  const made = await unwrap(api.POST("/api/lots/", { body }));
  if ("summary" in made) return made;
  const done = await followed(Promise.resolve(made));
  const { lot } = done.result as Schemas["LotReached"];
  return unwrap(api.GET("/api/lots/{id}/", { params: { path: { id: String(lot) } } }));
}

/** Drafts a lot, shows it in the tray, and opens the page on which it can be changed. */
export function useDraft() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { show } = useTray();
  return useMutation({
    mutationFn: drafted,
    onSuccess: (lot, body) => {
      const id = lot.summary.id;
      queries.setQueryData(lotKey(id), lot);
      show(id);
      const page = PAGES[lot.summary.kind];
      void navigate(page ? page(id, body.form ?? {}) : `/lots/${String(id)}`);
    },
  });
}
