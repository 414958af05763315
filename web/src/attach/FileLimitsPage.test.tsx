import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { auditor, lot, person, summary } from "../tests/data";
import { renderPage, serve, type Answers } from "../tests/server";
import { user } from "../tests/user";
import { FileLimitsPage } from "./FileLimitsPage";

const limits: Schemas["FileLimits"] = {
  settings: [
    { name: "request_timeout_seconds", label: "request timeout", unit: "s", wanted: 45, array: "shale" },
    { name: "retries", label: "retries", unit: "", wanted: 4, array: "shale" },
  ],
  hosts: [
    { host: "quay-01", values: [45, 4], mounts: 2 },
    { host: "quay-02", values: [10, null], mounts: 2 },
  ],
  differ: [
    {
      host: "quay-02",
      setting: "request_timeout_seconds",
      label: "request timeout",
      unit: "s",
      now: 10,
      wanted: 45,
    },
  ],
};
const answers = (more: Answers = {}): Answers => ({
  "GET /api/session/": person,
  "GET /api/attach/file-limits/": limits,
  ...more,
});

describe("NFS timeouts and limits", () => {
  it("stand side by side, what differs marked with more than colour", async () => {
    serve(answers());
    renderPage(<FileLimitsPage />);
    expect(await screen.findByText("▲ 10")).toBeVisible();
    expect(screen.getByText("none")).toBeVisible();
    expect(screen.getByText("1 of 4 values differs from what is recommended")).toBeVisible();
  });

  it("are set together with one lot", async () => {
    const asked = serve(
      answers({ "POST /api/lots/": lot({ summary: summary({ id: 7, kind: "file_limits" }) }) }),
    );
    renderPage(<FileLimitsPage />);
    await user.click(await screen.findByRole("button", { name: /Draft lot/ }));
    await waitFor(() => {
      expect(screen.getByLabelText("address")).toHaveTextContent("/lots/7");
    });
    expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
      kind: "file_limits",
      form: {},
    });
  });

  it.each([
    ["the auditor", { "GET /api/session/": auditor }],
    ["hosts that all agree", { "GET /api/attach/file-limits/": { ...limits, differ: [] } }],
  ])("offer no lot to %s", async (_who, more) => {
    serve(answers(more));
    renderPage(<FileLimitsPage />);
    expect(await screen.findByRole("button", { name: /Draft lot/ })).toBeDisabled();
  });

  it("say so where no array recommends any", async () => {
    serve(answers({ "GET /api/attach/file-limits/": { settings: [], hosts: [], differ: [] } }));
    renderPage(<FileLimitsPage />);
    expect(await screen.findByText("No linked array recommends any.")).toBeVisible();
    expect(screen.queryByRole("button", { name: /Draft lot/ })).toBeNull();
  });
});
