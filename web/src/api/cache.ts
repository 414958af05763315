import { hashKey, type QueryClient, type QueryKey } from "@tanstack/react-query";

/** Put an answer where it is shown: a question that is still on its way is older, and must not overwrite it. */
export async function putAnswer(queries: QueryClient, queryKey: QueryKey, answer: unknown): Promise<void> {
  await queries.cancelQueries({ queryKey, exact: true });
  queries.setQueryData(queryKey, answer);
}

/** Have all that is shown asked anew, but what has these keys. */
export function askAnewBut(queries: QueryClient, keys: readonly QueryKey[]): void {
  const known = new Set(keys.map(hashKey));
  void queries.invalidateQueries({ predicate: (query) => !known.has(query.queryHash) });
}
