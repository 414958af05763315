import type { QueryClient, QueryKey } from "@tanstack/react-query";

/** Put an answer where it is shown: a question that is still on its way is older, and must not overwrite it. */
export async function putAnswer(queries: QueryClient, queryKey: QueryKey, answer: unknown): Promise<void> {
  await queries.cancelQueries({ queryKey, exact: true });
  queries.setQueryData(queryKey, answer);
}
