import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import type { Schemas } from "../api/problem";
import { lotKey } from "../lots/useLot";
import { useTray } from "../shell/trayState";
import { useSession } from "../shell/useSession";

const TYPING_MS = 250;

interface Draft<Form> {
  lot: Schemas["LotDetail"];
  form: Form;
}
interface Calls<Form, Answer> {
  load: () => Promise<Answer>;
  store: (form: Form) => Promise<Answer>;
}

/**
 * A draft whose form is kept on the server a moment after each key, with what it comes to. Its lot is shown in the tray;
 * `fixed` once it is no draft any more, or for those who only read.
 */
export function useTypedForm<Form extends object, Answer extends Draft<Form>>(
  lot: number,
  empty: Form,
  { load, store }: Calls<Form, Answer>,
) {
  const queries = useQueryClient();
  const key = ["attach", lot];
  const draft = useQuery({ queryKey: key, queryFn: load });
  const save = useMutation({
    mutationFn: store,
    // Answers may overtake one another: one after the other keeps the last typed form the last stored.
    scope: { id: `attach ${String(lot)}` },
    onSuccess: (answer) => {
      queries.setQueryData(key, answer);
      queries.setQueryData(lotKey(lot), answer.lot);
    },
  });
  const { data: session } = useSession();
  const { show } = useTray();
  useEffect(() => {
    show(lot);
  }, [lot, show]);
  const state = draft.data?.lot.summary.state ?? "draft";
  const fixed = state !== "draft" || !session?.may_change;
  const [typed, setTyped] = useState<Form | null>(null);
  const timer = useRef<number | undefined>(undefined);
  // What was typed here counts before what is stored, which follows a moment later.
  const form = typed ?? draft.data?.form ?? empty;
  const { mutate } = save;
  const change = (part: Partial<Form>) => {
    const next = { ...form, ...part };
    setTyped(next);
    window.clearTimeout(timer.current);
    timer.current = window.setTimeout(() => {
      mutate(next);
    }, TYPING_MS);
  };
  const error = draft.error ?? save.error;
  return { data: draft.data, error, form, change, head: { id: lot, state, fixed }, fixed };
}
