import createClient from "openapi-fetch";
import createQueryClient from "openapi-react-query";
import { isSomebodyThere } from "./presence";
import { LostAnswerError, ProblemError, problemFrom } from "./problem";
import type { paths } from "./schema";

/** Sent to the window when an answer says that nobody is signed in. */
export const SIGNED_OUT = "movelot:signed-out";

function csrfToken(): string {
  return /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? "";
}

/** A key of 128 random bits; without a secure context a browser makes no UUID of its own. */
const newKey = () =>
  Array.from(crypto.getRandomValues(new Uint8Array(16)), (byte) => byte.toString(16).padStart(2, "0")).join(
    "",
  );

const wasAborted = (error: unknown) => error instanceof DOMException && error.name === "AbortError";

/**
 * Makes a request; one whose answer is lost throws LostAnswerError. A POST is then made once more: its key keeps it from
 * being carried out twice.
 */
async function fetched(request: Request): Promise<Response> {
  const again = request.method === "POST" ? request.clone() : null;
  try {
    return await window.fetch(request);
  } catch (error) {
    if (wasAborted(error)) throw error;
    if (again === null) throw new LostAnswerError(request.method);
    return window.fetch(again).catch((second: unknown) => {
      throw wasAborted(second) ? second : new LostAnswerError(request.method);
    });
  }
}

export const api = createClient<paths>({ baseUrl: window.location.origin, fetch: fetched });

api.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", csrfToken());
    if (request.method === "POST") request.headers.set("Idempotency-Key", newKey());
    if (isSomebodyThere()) request.headers.set("X-Movelot-Active", "1");
    return request;
  },
  async onResponse({ response }) {
    if (response.status === 401) window.dispatchEvent(new Event(SIGNED_OUT));
    if (response.ok) return response;
    const body: unknown = await response.json().catch(() => null);
    throw new ProblemError(problemFrom(body, response.status));
  },
});

/** Query options of an endpoint: its key is the call itself, and a call that nobody waits for any more is aborted. */
export const { queryOptions } = createQueryClient(api);

/** The data of an answer; a call that failed has thrown its problem. */
export async function unwrap<T>(answer: Promise<{ data?: T }>): Promise<T> {
  return (await answer).data as T;
}
