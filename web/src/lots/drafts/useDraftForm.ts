import { type QueryClient, type QueryKey, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState, useSyncExternalStore } from "react";
import { putAnswer } from "../../api/cache";
import { useSession } from "../../shell/useSession";
import { useTray } from "../../shell/trayState";
import { lotQuery } from "../queries";
import { type DraftAnswer, DraftSaver, type Edit, type Saving, type Seen } from "./DraftSaver";

/** What of a saver those need who only wait for it. */
type AnySaver = Pick<DraftSaver<unknown, DraftAnswer<unknown>>, "settle" | "subscribe" | "current">;

const SAVERS = new WeakMap<QueryClient, Map<number, AnySaver>>();

/** The form of a lot that is being typed on an open page; none where no page has it open. */
export const openForm = (queries: QueryClient, lot: number): AnySaver | undefined =>
  SAVERS.get(queries)?.get(lot);

interface Endpoint<Answer, Form> {
  /** Query options of the stored draft. */
  stored: { queryKey: QueryKey; queryFn: (context: never) => Promise<Answer> | Answer };
  store: (form: Form, seen: Seen) => Promise<Answer>;
}

export interface DraftForm<Form, Answer> {
  /** Once it is loaded; nothing can be typed before that. */
  form: Form | null;
  answer: Answer | undefined;
  change: (part: Partial<Form>) => void;
  edit: (edit: Edit<Form>) => void;
  saving: Saving<Form> | null;
  /** Store now what could not be stored. */
  retry: () => void;
  /** Not to be typed in: not loaded yet, no draft any more, or for those who only read. */
  fixed: boolean;
  state: string | null;
  id: number;
  /** Why it could not be loaded. */
  error: unknown;
}

/**
 * A draft's form: locked until the stored one has loaded, then kept on the server while it is typed (see DraftSaver).
 * Its lot is shown in the tray, whose Run waits for what is typed here.
 */
export function useDraftForm<Form extends object, Answer extends DraftAnswer<Form>>(
  lot: number,
  { stored, store }: Endpoint<Answer, Form>,
): DraftForm<Form, Answer> {
  const queries = useQueryClient();
  const query = useQuery({ queryKey: stored.queryKey, queryFn: stored.queryFn as () => Promise<Answer> });
  const { data: session } = useSession();
  const { show } = useTray();
  useEffect(() => {
    show(lot);
  }, [lot, show]);
  const saver = useSaver(lot, query.data, {
    store,
    load: () =>
      queries.query({
        queryKey: stored.queryKey,
        queryFn: stored.queryFn as () => Promise<Answer>,
        staleTime: 0,
      }),
    answered: async (answer) => {
      await putAnswer(queries, stored.queryKey, answer);
      await putAnswer(queries, lotQuery(lot).queryKey, answer.lot);
    },
  });
  const saving = useSyncExternalStore(saver?.subscribe ?? never, () => saver?.current() ?? null);
  const state = query.data?.lot.summary.state ?? null;
  const fixed = saving === null || state !== "draft" || !session?.may_change;
  const edit = (change: Edit<Form>) => {
    if (!fixed) saver?.edit(change);
  };
  return {
    form: saving?.form ?? null,
    answer: query.data,
    change: (part) => {
      edit((form) => ({ ...form, ...part }));
    },
    edit,
    saving,
    retry: () => {
      saver?.settle().catch(() => undefined);
    },
    fixed,
    state,
    id: lot,
    error: query.data ? null : query.error,
  };
}

const never = () => () => undefined;

/** The saver of a lot's form, made once its stored form is there; what is typed is sent when the page is left. */
function useSaver<Form, Answer extends DraftAnswer<Form>>(
  lot: number,
  answer: Answer | undefined,
  calls: ConstructorParameters<typeof DraftSaver<Form, Answer>>[1],
): DraftSaver<Form, Answer> | null {
  const queries = useQueryClient();
  const loaded = answer !== undefined;
  const [first] = useState(() => ({ calls }));
  const saver = useMemo(
    () => (loaded ? new DraftSaver<Form, Answer>(answer, first.calls) : null),
    // The first answer makes it; later ones are told to it.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [loaded, first, lot],
  );
  useEffect(() => {
    if (answer) saver?.refreshed(answer);
  }, [answer, saver]);
  useEffect(() => {
    if (!saver) return undefined;
    const open = SAVERS.get(queries) ?? new Map<number, AnySaver>();
    SAVERS.set(queries, open);
    open.set(lot, saver);
    return () => {
      if (open.get(lot) === saver) open.delete(lot);
      saver.settle().catch(() => undefined);
    };
  }, [lot, queries, saver]);
  return saver;
}
