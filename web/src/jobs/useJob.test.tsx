import { act, renderHook, waitFor } from "@testing-library/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { describe, expect, it } from "vitest";
import { api, unwrap } from "../api/client";
import { ProblemError } from "../api/problem";
import { job } from "../tests/data";
import { serve } from "../tests/server";
import { useJob } from "./useJob";

const inside = ({ children }: { children: ReactNode }) => (
  <QueryClientProvider client={new QueryClient()}>{children}</QueryClientProvider>
);

const reread = () =>
  renderHook(
    () =>
      useJob({
        ask: () => unwrap(api.POST("/api/devices/reread/")),
        look: (ended) => Promise.resolve(ended.result),
      }),
    { wrapper: inside },
  );

describe("a job", () => {
  it("is followed with its progress until it is done", async () => {
    let asked = 0;
    serve({
      "POST /api/devices/reread/": job({ state: "waiting" }),
      "GET /api/jobs/7/": () => {
        asked += 1;
        return asked < 2
          ? job({ state: "running", text: "reading quay-02", done: 3, total: 17 })
          : job({ state: "done", result: { devices: 17, failed: {} } });
      },
    });
    const { result } = reread();
    act(() => {
      result.current.start();
    });
    await waitFor(() => {
      expect(result.current.progress).toBe("reading quay-02, 3 of 17");
    });
    await waitFor(() => {
      expect(result.current.isPending).toBe(false);
    });
    expect(result.current.error).toBeNull();
    expect(result.current.progress).toBe("");
  });

  it("that fails throws the problem that the server tells", async () => {
    const problem = {
      type: "/problems/stale",
      status: 409,
      code: "stale",
      title: "The devices changed.",
      detail: "",
      hint: "",
    };
    serve({ "POST /api/devices/reread/": job({ state: "failed", problem }) });
    const { result } = reread();
    act(() => {
      result.current.start();
    });
    await waitFor(() => {
      expect(result.current.error).toBeInstanceOf(ProblemError);
    });
    expect(result.current.error?.message).toBe("The devices changed.");
  });

  it("is ended early, which is no error", async () => {
    let ended = false;
    const asked = serve({
      "POST /api/devices/reread/": job({ state: "running" }),
      "GET /api/jobs/7/": () => job({ state: ended ? "cancelled" : "running" }),
      "DELETE /api/jobs/7/": () => {
        ended = true;
        return null;
      },
    });
    const { result } = reread();
    act(() => {
      result.current.start();
    });
    await waitFor(() => {
      expect(asked.map((each) => each.key)).toContain("GET /api/jobs/7/");
    });
    act(() => {
      result.current.cancel();
    });
    await waitFor(() => {
      expect(result.current.isPending).toBe(false);
    });
    expect(result.current.error).toBeNull();
  });
});
