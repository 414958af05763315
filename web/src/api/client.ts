import createClient from "openapi-fetch";
import { ProblemError, problemFrom } from "./problem";
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

/** Makes a call once more whose answer was lost: its key keeps it from being carried out twice. */
async function twice(request: Request): Promise<Response> {
  const again = request.clone();
  try {
    return await window.fetch(request);
  } catch {
    return window.fetch(again);
  }
}

export const api = createClient<paths>({
  baseUrl: window.location.origin,
  fetch: (request) => (request.method === "POST" ? twice(request) : window.fetch(request)),
});

api.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", csrfToken());
    if (request.method === "POST") request.headers.set("Idempotency-Key", newKey());
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
