import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { lotKey } from "../lots/useLot";

export type AttachForm = Schemas["AttachForm"];
const keyOf = (lot: number) => ["attach", lot];

/** An attach draft; `save` sends the form as typed and shows what it comes to. */
export function useAttachDraft(lot: number | null) {
  const queries = useQueryClient();
  const path = { params: { path: { id: lot ?? 0 } } };
  const draft = useQuery({
    queryKey: keyOf(lot ?? 0),
    queryFn: () => unwrap(api.GET("/api/attach/drafts/{id}/", path)),
    enabled: lot !== null,
  });
  const save = useMutation({
    mutationFn: (body: AttachForm) => unwrap(api.PUT("/api/attach/drafts/{id}/", { ...path, body })),
    // Answers may overtake one another: one after the other keeps the last typed form the last stored.
    scope: { id: `attach ${String(lot)}` },
    onSuccess: (answer) => {
      queries.setQueryData(keyOf(lot ?? 0), answer);
      queries.setQueryData(lotKey(lot ?? 0), answer.lot);
    },
  });
  return { draft, save };
}
