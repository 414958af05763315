import { fireEvent, screen, waitFor } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Schemas } from "../api/problem";
import { auditor, lot, person, summary } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { PoliciesPage } from "./PoliciesPage";

const row = (id: number, host: string, policy: string, odd = false): Schemas["PolicyRow"] => ({
  id,
  host,
  volume: "berth-a",
  array: "granite",
  datastore: "berth-a",
  policy,
  paths: 8,
  odd,
});
const found: Schemas["PoliciesAnswer"] = {
  rows: [
    row(1, "quay-01", "RoundRobin"),
    row(2, "quay-02", "RoundRobin"),
    row(3, "quay-03", "OnePath", true),
  ],
  total: 3,
  policies: [
    { name: "RoundRobin", label: "round robin", text: "all active paths in turn" },
    { name: "OnePath", label: "one path", text: "one path until it fails" },
  ],
  clusters: ["quayside"],
  arrays: ["granite"],
};
const answers = (more: Record<string, unknown> = {}) => ({
  "GET /api/session/": person,
  "GET /api/attach/path-policies/": found,
  ...more,
});
const choose = async (label: string, option: RegExp) => {
  fireEvent.mouseDown(await screen.findByRole("combobox", { name: label }));
  fireEvent.click(await screen.findByRole("option", { name: option }));
};

beforeEach(() => {
  vi.unstubAllGlobals();
});

describe("path policies", () => {
  it("mark the host that differs from the others", async () => {
    serve(answers());
    renderPage(<PoliciesPage />);
    expect(await screen.findByText("▲ differs")).toBeVisible();
    expect(screen.getByText("3 devices")).toBeVisible();
  });

  it("show row by row what would change, and draft that as one lot", async () => {
    const asked = serve(
      answers({ "POST /api/lots/": lot({ summary: summary({ id: 7, kind: "path_policy" }) }) }),
    );
    renderPage(<PoliciesPage />);
    await screen.findByText("▲ differs");
    expect(screen.getByRole("button", { name: "Draft lot" })).toBeDisabled();
    await choose("Set to", /^round robin/);
    expect(await screen.findByText("3 devices, 1 would change")).toBeVisible();
    fireEvent.click(screen.getByRole("button", { name: "Draft lot" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
        kind: "path_policy",
        form: { filter: { cluster: "", array: "", text: "" }, policy: "RoundRobin" },
      });
    });
    await waitFor(() => {
      expect(screen.getByLabelText("address")).toHaveTextContent("/lots/7");
    });
  });

  it("draft for what the filter takes", async () => {
    const asked = serve(answers({ "POST /api/lots/": lot() }));
    renderPage(<PoliciesPage />);
    await choose("Cluster", /quayside/);
    fireEvent.change(screen.getByLabelText("Datastore or volume"), { target: { value: "berth" } });
    await choose("Set to", /^one path/);
    const button = screen.getByRole("button", { name: "Draft lot" });
    await waitFor(() => {
      expect(button).toBeEnabled();
    });
    fireEvent.click(button);
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toMatchObject({
        form: { filter: { cluster: "quayside", text: "berth" }, policy: "OnePath" },
      });
    });
  });

  it("are only looked at by the auditor", async () => {
    serve(answers({ "GET /api/session/": auditor }));
    renderPage(<PoliciesPage />);
    await screen.findByText("▲ differs");
    await choose("Set to", /^round robin/);
    expect(await screen.findByText("3 devices, 1 would change")).toBeVisible();
    expect(screen.getByRole("button", { name: "Draft lot" })).toBeDisabled();
  });

  it("say when not all rows are listed", async () => {
    serve(answers({ "GET /api/attach/path-policies/": { ...found, total: 900 } }));
    renderPage(<PoliciesPage />);
    expect(await screen.findByText(/The first 3 of 900 are listed/)).toBeVisible();
  });
});
