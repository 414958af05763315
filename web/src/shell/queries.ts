import { queryOptions } from "../api/client";

const STATUS_MS = 5000;
const SESSION_FRESH_MS = 60_000;
const SESSION_AGAIN_MS = 3000;

/** What the frame shows on every page, and the revision by which all pages know when to ask anew. */
export const statusQuery = () => ({ ...queryOptions("get", "/api/status/"), refetchInterval: STATUS_MS });

/** Who is signed in. */
export const sessionQuery = () => ({
  ...queryOptions("get", "/api/session/"),
  staleTime: SESSION_FRESH_MS,
  refetchInterval: (query: { state: { error: unknown } }) =>
    query.state.error ? SESSION_AGAIN_MS : (false as const),
});

/** Things by name or serial. */
export const findQuery = (text: string) =>
  queryOptions("get", "/api/find/", { params: { query: { q: text } } });
