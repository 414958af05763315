import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
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
    mutationFn: (moves: { disk: number; target: number }[]) =>
      unwrap(api.PUT("/api/balance/drafts/{id}/", { ...path, body: { moves } })),
    scope: { id: `balance ${String(lot)}` },
    onSuccess: (answer) => {
      queries.setQueryData(["balance draft", lot], answer);
      queries.setQueryData(lotKey(lot ?? 0), answer.lot);
    },
  });
  return { draft, put };
}
