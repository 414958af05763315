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

  const silent = () => {
    vi.stubGlobal("fetch", () => Promise.reject(new TypeError("Failed to fetch")));
  };

  it("say so when the server does not answer", async () => {
    silent();
    const thrown: unknown = await unwrap(api.GET("/api/rounds/")).catch((error: unknown) => error);
    expect(problemOf(thrown)).toMatchObject({ code: "unreachable" });
  });

  it("do not claim that nothing was changed where the answer of what was to be done is lost", async () => {
    silent();
    const params = { path: { id: "9" } };
    const thrown: unknown = await unwrap(api.POST("/api/lots/{id}/run/", { params })).catch(
      (error: unknown) => error,
    );
    expect(problemOf(thrown).detail).toContain("may have been done all the same");
    expect(problemOf(thrown).code).toBe("answer_lost");
  });

  it("make a POST once more under the same key when its answer was lost", async () => {
    const keys: (string | null)[] = [];
    vi.stubGlobal("fetch", (request: Request) => {
      keys.push(request.headers.get("Idempotency-Key"));
      return keys.length === 1
        ? Promise.reject(new TypeError("Failed to fetch"))
        : Promise.resolve(new Response("{}", { status: 200 }));
    });
    await unwrap(api.POST("/api/devices/reread/"));
    expect(keys).toHaveLength(2);
    expect(keys[0]).toBe(keys[1]);
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
