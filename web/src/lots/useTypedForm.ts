import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { ProblemError, type Schemas } from "../api/problem";
import { lotKey } from "./useLot";
import { useTray } from "../shell/trayState";
import { useSession } from "../shell/useSession";

const TYPING_MS = 250;

interface Draft<Form> {
  lot: Schemas["LotDetail"];
  form: Form;
}
/** The version of the draft that was typed on, as the header that names it. */
export interface Seen {
  headers: { "If-Match"?: string };
}
/** Names the version that was seen; none for one that is not known yet. */
export const seenAs = (version: string | undefined): Seen => ({
  headers: version ? { "If-Match": `"${version}"` } : {},
});
interface Calls<Form, Answer> {
  load: () => Promise<Answer>;
  /** `seen` goes into the headers: what is typed on an older draft overwrites nothing. */
  store: (form: Form, seen: Seen) => Promise<Answer>;
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
  const [typed, setTyped] = useState<Form | null>(null);
  const save = useMutation({
    // Asked for when its turn has come: the answer before tells the version.
    mutationFn: (next: Form) => store(next, seenAs(queries.getQueryData<Answer>(key)?.lot.version)),
    // Answers may overtake one another: one after the other keeps the last typed form the last stored.
    scope: { id: `attach ${String(lot)}` },
    onSuccess: (answer) => {
      queries.setQueryData(key, answer);
      queries.setQueryData(lotKey(lot), answer.lot);
    },
    onError: (error) => {
      if (!(error instanceof ProblemError) || error.problem.status !== 412) return;
      // Somebody else was faster: what is stored now is shown, beside who changed what.
      setTyped(null);
      void queries.invalidateQueries({ queryKey: key });
    },
  });
  const { data: session } = useSession();
  const { show } = useTray();
  useEffect(() => {
    show(lot);
  }, [lot, show]);
  const state = draft.data?.lot.summary.state ?? "draft";
  const fixed = state !== "draft" || !session?.may_change;
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
