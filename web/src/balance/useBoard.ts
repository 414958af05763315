import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { seenAs } from "../lots/useTypedForm";
import { lotKey } from "../lots/useLot";

export type Board = Schemas["GroupBoard"];
export type Stack = Schemas["Stack"];
export type BoardPool = Schemas["BoardPool"];
export type Plan = Schemas["BalancePlan"];
export type Move = Schemas["MoveRow"];

/** A group's board. */
export function useBoard(group: string | undefined) {
  return useQuery({
    queryKey: ["board", group],
    queryFn: () =>
      unwrap(api.GET("/api/balance/groups/{name}/", { params: { path: { name: group ?? "" } } })),
    enabled: Boolean(group),
    refetchInterval: 10_000,
  });
}

/** A balance draft; `put` sends all its moves and shows what they come to. */
export function useBalanceDraft(lot: number | null) {
  const queries = useQueryClient();
  const path = { params: { path: { id: lot ?? 0 } } };
  const draft = useQuery({
    queryKey: ["balance draft", lot],
    queryFn: () => unwrap(api.GET("/api/balance/drafts/{id}/", path)),
    enabled: lot !== null,
  });
  const put = useMutation({
    mutationFn: (moves: { disk: number; target: number }[]) => {
      const last = queries.getQueryData<Schemas["BalanceDraft"]>(["balance draft", lot]);
      const body = { group: last?.form.group ?? "", moves };
      return unwrap(api.PUT("/api/balance/drafts/{id}/", { ...path, ...seenAs(last?.lot.version), body }));
    },
    scope: { id: `balance ${String(lot)}` },
    onSuccess: (answer) => {
      queries.setQueryData(["balance draft", lot], answer);
      queries.setQueryData(lotKey(lot ?? 0), answer.lot);
    },
    // Somebody may have been faster: what is stored now is shown.
    onError: () => void queries.invalidateQueries({ queryKey: ["balance draft", lot] }),
  });
  return { draft, put };
}
