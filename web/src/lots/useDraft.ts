import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { useTray } from "../shell/trayState";
import { lotKey } from "./useLot";

type NewLot = Schemas["NewLotRequest"];

const PAGES: Record<string, (id: number, form: Record<string, unknown>) => string> = {
  attach: (id) => `/attach?lot=${String(id)}`,
  attach_file: (id) => `/attach/file?lot=${String(id)}`,
  use_volume: (id) => `/attach/use?lot=${String(id)}`,
  interfaces: (id) => `/attach/interfaces?lot=${String(id)}`,
  attach_set: (id) => `/attach/set?lot=${String(id)}`,
  detach: (id) => `/attach/detach?lot=${String(id)}`,
  balance: (id, form) => `/balance/${encodeURIComponent(String(form.group))}?lot=${String(id)}`,
};

/** Drafts a lot, shows it in the tray, and opens the page on which it can be changed. */
export function useDraft() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { show } = useTray();
  return useMutation({
    mutationFn: (body: NewLot) => unwrap(api.POST("/api/lots/", { body })),
    onSuccess: (lot, body) => {
      const id = lot.summary.id;
      queries.setQueryData(lotKey(id), lot);
      show(id);
      const page = PAGES[lot.summary.kind];
      void navigate(page ? page(id, body.form ?? {}) : `/lots/${String(id)}`);
    },
  });
}
