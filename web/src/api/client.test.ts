import { afterEach, describe, expect, it, vi } from "vitest";
import { api, SIGNED_OUT, unwrap } from "./client";
import { ProblemError, problemOf } from "./problem";

function answer(status: number, body: unknown) {
  const requests: Request[] = [];
  vi.stubGlobal("fetch", (request: Request) => {
    requests.push(request);
    const headers = { "Content-Type": "application/json" };
    return Promise.resolve(new Response(JSON.stringify(body), { status, headers }));
  });
  return requests;
}

afterEach(() => {
  vi.unstubAllGlobals();
});

describe("calls", () => {
  it("carry the CSRF token when they change something", async () => {
    document.cookie = "csrftoken=abc123";
    const requests = answer(200, []);
    await unwrap(api.POST("/api/devices/reread/"));
    expect(requests[0]?.headers.get("X-CSRFToken")).toBe("abc123");
  });

  it("throw the problem that the server says", async () => {
    answer(409, { code: "stale", title: "Changed.", detail: "d", hint: "h", status: 409 });
    const thrown: unknown = await unwrap(api.GET("/api/rounds/")).catch((error: unknown) => error);
    expect(thrown).toBeInstanceOf(ProblemError);
    expect(problemOf(thrown)).toMatchObject({ code: "stale", hint: "h" });
  });

  it("say so when the server does not answer", () => {
    expect(problemOf(new TypeError("Failed to fetch"))).toMatchObject({ code: "unreachable" });
  });

  it("tell the window when nobody is signed in", async () => {
    const told = vi.fn();
    window.addEventListener(SIGNED_OUT, told);
    answer(401, { code: "signed_out", title: "You are signed out." });
    await unwrap(api.GET("/api/rounds/")).catch(() => undefined);
    expect(told).toHaveBeenCalledOnce();
    window.removeEventListener(SIGNED_OUT, told);
  });
});
