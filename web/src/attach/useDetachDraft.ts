import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import { lotKey } from "../lots/useLot";

const keyOf = (lot: number) => ["detach", lot];

/** A draft that takes a volume away; `save` sends what was typed and shows what it comes to. */
export function useDetachDraft(lot: number) {
  const queries = useQueryClient();
  const path = { params: { path: { id: lot } } };
  const draft = useQuery({
    queryKey: keyOf(lot),
    queryFn: () => unwrap(api.GET("/api/attach/detach/{id}/", path)),
  });
  const save = useMutation({
    mutationFn: (body: { keep: boolean; confirm: string }) =>
      unwrap(api.PUT("/api/attach/detach/{id}/", { ...path, body })),
    scope: { id: `detach ${String(lot)}` },
    onSuccess: (answer) => {
      queries.setQueryData(keyOf(lot), answer);
      queries.setQueryData(lotKey(lot), answer.lot);
    },
  });
  return { draft, save };
}
