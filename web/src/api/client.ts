import createClient from "openapi-fetch";
import { ProblemError, problemFrom } from "./problem";
import type { paths } from "./schema";

/** Sent to the window when an answer says that nobody is signed in. */
export const SIGNED_OUT = "movelot:signed-out";

function csrfToken(): string {
  return /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? "";
}

export const api = createClient<paths>({
  baseUrl: window.location.origin,
  // Looked up at each call, so that tests can put their own in place.
  fetch: (request) => window.fetch(request),
});

api.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", csrfToken());
    return request;
  },
  onResponse({ response }) {
    if (response.status === 401) window.dispatchEvent(new Event(SIGNED_OUT));
    return response;
  },
});

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The data of an answer, or a thrown ProblemError. */
export async function unwrap<T>(answer: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await answer;
  if (!response.ok) throw new ProblemError(problemFrom(error, response.status));
  return data as T;
}
