import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { seenAs } from "../lots/useTypedForm";
import { lotKey } from "../lots/useLot";

type Draft = Schemas["DetachDraft"];

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
    mutationFn: (body: Schemas["DetachFormRequest"]) =>
      unwrap(
        api.PUT("/api/attach/detach/{id}/", {
          ...path,
          ...seenAs(queries.getQueryData<Draft>(keyOf(lot))?.lot.version),
          body,
        }),
      ),
    scope: { id: `detach ${String(lot)}` },
    onSuccess: (answer) => {
      queries.setQueryData(keyOf(lot), answer);
      queries.setQueryData(lotKey(lot), answer.lot);
    },
    // Somebody may have been faster: what is stored now is shown.
    onError: () => void queries.invalidateQueries({ queryKey: keyOf(lot) }),
  });
  return { draft, save };
}
