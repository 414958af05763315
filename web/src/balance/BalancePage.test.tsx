import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Schemas } from "../api/problem";
import { auditor, board, lot, person, plan, stack, summary } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { BalancePage } from "./BalancePage";

const DRAFT = "/balance/quayside?lot=9";

const show = (at = "/balance/quayside") =>
  renderPage(
    <Routes>
      <Route path="balance" element={<BalancePage />} />
      <Route path="balance/:group" element={<BalancePage />} />
    </Routes>,
    at,
  );

const form: Schemas["BalanceForm"] = { group: "quayside", moves: [] };
const answers = (more: Record<string, unknown> = {}) => ({
  "GET /api/session/": person,
  "GET /api/balance/groups/": [
    { id: 1, name: "quayside", datastores: 2, fill_ceiling: 0.82, latency_ceiling_ms: 9 },
  ],
  "GET /api/balance/groups/quayside/": board(),
  "GET /api/balance/drafts/9/": { form, lot: lot(), plan: plan() },
  ...more,
});

beforeEach(() => {
  vi.unstubAllGlobals();
});

describe("a balance group", () => {
  it("says which ceilings are broken, in numbers", async () => {
    serve(answers());
    show();
    expect(await screen.findByRole("heading", { name: "Group quayside" })).toBeVisible();
    expect(screen.getByText(/1 datastore over the fill ceiling/)).toHaveTextContent(
      "granite-fast answers in 11.8 ms at 10:00",
    );
    expect(screen.getByText("Fill ceiling 82 %")).toBeVisible();
    expect(screen.getByRole("group", { name: "berth-a, 95 % full" })).toBeVisible();
  });

  it("says so when every ceiling holds", async () => {
    const quiet = board({
      datastores: [stack(2, "berth-b")],
      pools: board().pools.map((pool) => ({ ...pool, over: false, peak_ms: 4 })),
    });
    serve(answers({ "GET /api/balance/groups/quayside/": quiet }));
    show();
    expect(await screen.findByText("■ Every ceiling holds.")).toBeVisible();
  });

  it("opens the first group when none is named", async () => {
    serve(answers());
    show("/balance");
    await waitFor(() => {
      expect(screen.getByLabelText("address")).toHaveTextContent("/balance/quayside");
    });
  });

  it("says what to link first where there is no group", async () => {
    serve(answers({ "GET /api/balance/groups/": [] }));
    show("/balance");
    expect(await screen.findByText(/There is no group yet/)).toBeVisible();
  });

  it("drafts the plan for the whole group and opens it", async () => {
    const asked = serve(answers({ "POST /api/lots/": lot({ summary: summary({ id: 9 }) }) }));
    show();
    fireEvent.click(await screen.findByRole("button", { name: "Draft lot" }));
    await waitFor(() => {
      expect(screen.getByLabelText("address")).toHaveTextContent(DRAFT);
    });
    expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
      kind: "balance",
      form: { group: "quayside" },
    });
  });

  it("shows the plan with its bound, reasons and prediction", async () => {
    serve(answers());
    show(DRAFT);
    const rows = within(await screen.findByRole("table", { name: "Moves" })).getAllByRole("row");
    expect(rows[1]).toHaveTextContent("berth-a → berth-b130 GiB4 minarray copies it");
    expect(rows[1]).toHaveTextContent("berth-a from 95 % to 80 %");
    expect(screen.getByText(/No plan can do it with less than/)).toHaveTextContent("128 GiB");
    expect(screen.getByText("▲ 95 % → 80 %")).toBeVisible();
    expect(screen.getByText(/→ 7.1/)).toBeVisible();
  });

  it("takes a move out by sending the others", async () => {
    const asked = serve(
      answers({
        "PUT /api/balance/drafts/9/": {
          form,
          lot: lot({ steps: [] }),
          plan: plan({ moves: [], clears: false }),
        },
      }),
    );
    show(DRAFT);
    fireEvent.click(await screen.findByRole("button", { name: "Take tug-roster disk 1 out" }));
    expect(await screen.findByText(/No move is planned/)).toBeVisible();
    expect(asked.find((each) => each.key.startsWith("PUT"))?.body).toEqual({ group: "quayside", moves: [] });
  });

  it("adds a move from the keyboard's menu to those planned", async () => {
    const asked = serve(answers({ "PUT /api/balance/drafts/9/": { form, lot: lot(), plan: plan() } }));
    show(DRAFT);
    fireEvent.click(await screen.findByRole("button", { name: /^payroll, 540 GiB, heat 2.0/ }));
    fireEvent.click(await screen.findByRole("menuitem", { name: /Move to berth-b, 50 % full/ }));
    await waitFor(() => {
      expect(asked.find((each) => each.key.startsWith("PUT"))?.body).toEqual({
        group: "quayside",
        moves: [
          { disk: 11, target: 2 },
          { disk: 12, target: 2 },
        ],
      });
    });
  });

  it("takes a planned move back when its disk is left where it is", async () => {
    const asked = serve(
      answers({ "PUT /api/balance/drafts/9/": { form, lot: lot(), plan: plan({ moves: [] }) } }),
    );
    show(DRAFT);
    fireEvent.click(await screen.findByRole("button", { name: /^tug-roster.*planned to leave/ }));
    fireEvent.click(await screen.findByRole("menuitem", { name: /Leave on berth-a/ }));
    await waitFor(() => {
      expect(asked.find((each) => each.key.startsWith("PUT"))?.body).toEqual({
        group: "quayside",
        moves: [],
      });
    });
  });

  it("says why a plan is impossible and what stays broken", async () => {
    const impossible = plan({
      clears: false,
      broken: ["berth-b would be over its fill ceiling."],
      unresolved: ["berth-a stays over its fill ceiling: 3 disks are pinned."],
    });
    serve(answers({ "GET /api/balance/drafts/9/": { form, lot: lot(), plan: impossible } }));
    show(DRAFT);
    expect(await screen.findByText("berth-b would be over its fill ceiling.")).toBeVisible();
    expect(screen.getByText(/3 disks are pinned/)).toBeVisible();
    expect(screen.getByText(/do not clear every ceiling/)).toBeVisible();
  });

  it("lets the auditor look and change nothing", async () => {
    serve(answers({ "GET /api/session/": auditor }));
    show(DRAFT);
    expect(await screen.findByRole("table", { name: "Moves" })).toBeVisible();
    expect(screen.queryByRole("button", { name: "Plan anew" })).toBeNull();
    expect(screen.queryByRole("button", { name: /Take .* out/ })).toBeNull();
    expect(screen.getByRole("button", { name: /^payroll/ })).toBeDisabled();
  });

  it("pages through many datastores, those that matter first", async () => {
    const many = Array.from({ length: 30 }, (_, n) => stack(n + 1, `berth-${String(n)}`, { over: n === 29 }));
    serve(answers({ "GET /api/balance/groups/quayside/": board({ datastores: many }) }));
    show();
    expect(await screen.findByText(/Datastores 1 to 24 of 30/)).toBeVisible();
    expect(screen.getByRole("group", { name: /^berth-29,/ })).toBeVisible();
    expect(screen.queryByRole("group", { name: /^berth-28,/ })).toBeNull();
    fireEvent.click(screen.getByRole("button", { name: "Next" }));
    expect(screen.getByText(/Datastores 25 to 30 of 30/)).toBeVisible();
    expect(screen.getByRole("group", { name: /^berth-28,/ })).toBeVisible();
    expect(screen.getByRole("button", { name: "Next" })).toBeDisabled();
  });

  it("keeps the page when a call fails, and says what stayed", async () => {
    serve(answers());
    show();
    fireEvent.click(await screen.findByRole("button", { name: "Draft lot" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("Not there.");
    expect(screen.getByRole("group", { name: "berth-a, 95 % full" })).toBeVisible();
  });
});
