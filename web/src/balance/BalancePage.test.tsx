import { act, screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { auditor, board, job, lot, person, plan, stack, summary } from "../tests/data";
import { NOT_THERE, renderPage, serve, type Answers } from "../tests/server";
import { type, user } from "../tests/user";
import { BalancePage } from "./BalancePage";
import type { RuleForm } from "./queries";

const DRAFT = "/balance/quayside?lot=9";

const show = (at = "/balance/quayside") =>
  renderPage(
    <Routes>
      <Route path="balance" element={<BalancePage />} />
      <Route path="balance/:group" element={<BalancePage />} />
    </Routes>,
    at,
  );

const form: Schemas["BalanceForm"] = {
  group: "quayside",
  aim: "clear",
  least_gain: 1,
  moves: [{ disk: 11, target: 2 }],
  limits: [],
  at_once: null,
};
const answers = (more: Answers = {}): Answers => ({
  "GET /api/session/": person,
  "GET /api/balance/groups/": [
    { id: 1, name: "quayside", datastores: 2, fill_ceiling: 0.82, latency_ceiling_ms: 9, in_force: "" },
  ],
  "GET /api/balance/groups/quayside/": board(),
  "GET /api/balance/groups/quayside/alternatives/": [],
  "GET /api/balance/drafts/9/": { form, lot: lot(), plan: plan() },
  ...more,
});

describe("the way of a balance group", () => {
  it("says which way of working is in force, and leads to the week", async () => {
    const row = { id: 1, name: "quayside", datastores: 2, fill_ceiling: 0.82, latency_ceiling_ms: 9 };
    serve(
      answers({
        "GET /api/balance/groups/": [{ ...row, in_force: "Night: acts by itself until Tue 05:00" }],
      }),
    );
    show();
    const link = await screen.findByRole("link", { name: "Night: acts by itself until Tue 05:00" });
    expect(link).toHaveAttribute("href", "/balance/week?group=quayside");
    expect(screen.queryByText("Advise only")).toBeNull();
  });
});

describe("a balance group", () => {
  it("says which ceilings are broken, in numbers", async () => {
    serve(answers());
    show();
    expect(await screen.findByRole("heading", { name: "Group quayside" })).toBeVisible();
    expect(await screen.findByText(/1 datastore over the fill ceiling/)).toHaveTextContent(
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

  it("drafts the plan for the whole group by a job that can be ended, and opens it", async () => {
    let ended = false;
    const told = { kind: "draft" as const, text: "looking for the plan of quayside", done: 40, total: 100 };
    const asked = serve(
      answers({
        "POST /api/lots/": job({ ...told, state: "waiting" }),
        "GET /api/jobs/7/": () =>
          ended
            ? job({ ...told, state: "done", result: { lot: 9, state: "draft" } })
            : job({ ...told, state: "running" }),
        "DELETE /api/jobs/7/": () => {
          ended = true;
          return null;
        },
        "GET /api/lots/9/": lot({ summary: summary({ id: 9 }) }),
      }),
    );
    show();
    await user.click(await screen.findByRole("button", { name: "Draft lot" }));
    expect(await screen.findByText(/looking for the plan of quayside, 40 of 100/)).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Take the best so far" }));
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
    const rows = within(await screen.findByRole("table", { name: "Moves of quayside" })).getAllByRole("row");
    expect(rows[1]).toHaveTextContent("berth-a → berth-b130 GiB4 minarray copies it");
    expect(rows[1]).toHaveTextContent("berth-a from 95 % to 80 %");
    expect(screen.getByText(/no plan can do it with less than 128 GiB/)).toBeVisible();
    expect(screen.getByText("▲ 95 % → 80 %")).toBeVisible();
    expect(screen.getByText(/→ 7.1/)).toBeVisible();
  });

  it("takes a move out by sending the others", async () => {
    const asked = serve(
      answers({
        "PUT /api/balance/drafts/9/": {
          form: { ...form, moves: [], limits: [] },
          lot: lot({ steps: [] }),
          plan: plan({ moves: [], clears: false }),
        },
      }),
    );
    show(DRAFT);
    await user.click(await screen.findByRole("button", { name: "Take tug-roster disk 1 out" }));
    expect(await screen.findByText("No move is planned")).toBeVisible();
    expect(asked.findLast((each) => each.key.startsWith("PUT"))?.body).toEqual({
      ...form,
      moves: [],
    });
  });

  it("refuses a move for some days by a rule that ends, and takes it out", async () => {
    const asked = serve(
      answers({
        "POST /api/balance/rules/": {} as never,
        "PUT /api/balance/drafts/9/": {
          form: { ...form, moves: [] },
          lot: lot({ steps: [] }),
          plan: plan({ moves: [] }),
        },
      }),
    );
    show(DRAFT);
    await user.click(await screen.findByRole("button", { name: "Refuse tug-roster disk 1" }));
    const group = within(screen.getByRole("group", { name: "Refuse tug-roster disk 1" }));
    expect(group.getByText(/No plan moves it to berth-b for so many days/)).toBeVisible();
    await type(group.getByLabelText("Days"), "7");
    await user.click(group.getByRole("button", { name: "Refuse it" }));
    expect(await screen.findByText("No move is planned")).toBeVisible();
    const body = asked.find((each) => each.key === "POST /api/balance/rules/")?.body as RuleForm;
    expect(body).toMatchObject({
      name: "refused: tug-roster disk 1 to berth-b",
      kind: "off",
      disks: ["11"],
      datastore: "berth-b",
    });
    const days = (Date.parse(body.until ?? "") - Date.now()) / 86_400_000;
    expect(Math.round(days)).toBe(7);
  });

  it("adds a move from the keyboard's menu to those planned", async () => {
    const asked = serve(answers({ "PUT /api/balance/drafts/9/": { form, lot: lot(), plan: plan() } }));
    show(DRAFT);
    await user.click(await screen.findByRole("button", { name: /^payroll, 540 GiB, heat 2.0/ }));
    await user.click(await screen.findByRole("menuitem", { name: /Move to berth-b, 50 % full/ }));
    await waitFor(() => {
      expect(asked.findLast((each) => each.key.startsWith("PUT"))?.body).toEqual({
        ...form,
        moves: [
          { disk: 11, target: 2 },
          { disk: 12, target: 2 },
        ],
        limits: [],
      });
    });
  });

  it("takes a planned move back when its disk is left where it is", async () => {
    const asked = serve(
      answers({ "PUT /api/balance/drafts/9/": { form, lot: lot(), plan: plan({ moves: [] }) } }),
    );
    show(DRAFT);
    await user.click(await screen.findByRole("button", { name: /^tug-roster.*planned to leave/ }));
    await user.click(await screen.findByRole("menuitem", { name: /Leave on berth-a/ }));
    await waitFor(() => {
      expect(asked.findLast((each) => each.key.startsWith("PUT"))?.body).toEqual({
        ...form,
        moves: [{ disk: 11, target: 1 }],
        limits: [],
      });
    });
  });
});

describe("plans of a group", () => {
  it("is evened out too where that is asked for, while each TiB gains what is typed", async () => {
    const asked = serve(
      answers({
        "POST /api/lots/": job({ kind: "draft", state: "done", result: { lot: 9, state: "draft" } }),
        "GET /api/jobs/7/": job({ kind: "draft", state: "done", result: { lot: 9, state: "draft" } }),
        "GET /api/lots/9/": lot({ summary: summary({ id: 9 }) }),
        "GET /api/balance/drafts/9/": {
          form: { ...form, aim: "even", least_gain: 2.5 },
          lot: lot(),
          plan: plan({ remarks: ["Evened out: the highest fill falls from 81.0 % to 70.0 %."] }),
        },
      }),
    );
    show();
    await user.click(await screen.findByRole("checkbox", { name: "Even out too" }));
    const points = screen.getByRole("textbox", { name: "Points per TiB" });
    await user.clear(points);
    expect(screen.getByRole("button", { name: "Draft lot" })).toBeDisabled();
    await type(points, "2.5");
    await user.click(screen.getByRole("button", { name: "Draft lot" }));
    expect(await screen.findByText(/highest fill falls from 81.0 % to 70.0 %/)).toBeVisible();
    expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
      kind: "balance",
      form: { group: "quayside", aim: "even", least_gain: 2.5 },
    });
    // The draft's own aim is what planning anew asks for.
    expect(screen.getByRole("textbox", { name: "Points per TiB" })).toHaveValue("2.5");
  });

  it("shows the group as it is beside the plans there are, and drafts one of them", async () => {
    const cleared: Schemas["Alternative"] = {
      aim: "clear",
      called: "Clear only",
      least_gain: 0,
      moves: 2,
      moved_bytes: 930 * 1024 ** 3,
      bound_bytes: 930 * 1024 ** 3,
      takes_seconds: 2400,
      fullest: "berth-b",
      fullest_fill: 0.82,
      slowest: "granite-mixed",
      slowest_ms: 8.7,
      over: 0,
      remarks: [],
      made_at: "2026-11-26T08:00:00Z",
    };
    const evened = {
      ...cleared,
      aim: "even",
      called: "Clear and even out",
      least_gain: 2,
      moves: 61,
      over: 0.031,
    };
    const asked = serve(
      answers({
        "GET /api/balance/groups/quayside/alternatives/": [cleared, evened],
        "POST /api/lots/": job({ kind: "draft", state: "done", result: { lot: 9, state: "draft" } }),
        "GET /api/jobs/7/": job({ kind: "draft", state: "done", result: { lot: 9, state: "draft" } }),
        "GET /api/lots/9/": lot({ summary: summary({ id: 9 }) }),
      }),
    );
    show();
    const rows = within(await screen.findByRole("table", { name: "Plans of quayside" })).getAllByRole("row");
    expect(rows[1]).toHaveTextContent("As it is");
    expect(rows[1]).toHaveTextContent("berth-a 95 %");
    expect(rows[1]).toHaveTextContent("granite-fast 11.8 ms");
    expect(rows[2]).toHaveTextContent(
      "Clear only2 moves930 GiB40 minberth-b 82 %granite-mixed 8.7 ms■ nothing",
    );
    expect(rows[3]).toHaveTextContent("▲ 3.1 % of a ceiling");
    await user.click(screen.getByRole("button", { name: "Draft Clear and even out" }));
    await waitFor(() => {
      expect(screen.getByLabelText("address")).toHaveTextContent(DRAFT);
    });
    expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
      kind: "balance",
      form: { group: "quayside", aim: "even", least_gain: 2 },
    });
  });
});

describe("a plan of a group", () => {
  it("says why a plan is impossible and what stays broken", async () => {
    const impossible = plan({
      clears: false,
      broken: ["berth-b would be over its fill ceiling."],
      unresolved: ["berth-a stays over its fill ceiling: 3 disks are pinned."],
    });
    serve(answers({ "GET /api/balance/drafts/9/": { form, lot: lot(), plan: impossible } }));
    show(DRAFT);
    expect(await screen.findByText("▲ berth-b would be over its fill ceiling.")).toBeVisible();
    expect(screen.getByText(/3 disks are pinned/)).toBeVisible();
    expect(screen.getByText(/do not clear every ceiling/)).toBeVisible();
  });

  it("lets the auditor look and change nothing", async () => {
    serve(answers({ "GET /api/session/": auditor }));
    show(DRAFT);
    expect(await screen.findByRole("table", { name: "Moves of quayside" })).toBeVisible();
    expect(screen.queryByRole("button", { name: "Plan anew" })).toBeNull();
    expect(screen.queryByRole("button", { name: /Take .* out/ })).toBeNull();
    expect(screen.getByRole("button", { name: /^payroll/ })).toHaveAttribute("aria-disabled", "true");
  });

  it("keeps both of two quick moves, each on the latest form", async () => {
    const asked = serve(
      answers({
        "GET /api/balance/drafts/9/": { form: { ...form, moves: [] }, lot: lot(), plan: plan({ moves: [] }) },
        "PUT /api/balance/drafts/9/": (body: Schemas["BalanceForm"]) => ({
          form: body,
          lot: lot(),
          plan: plan(),
        }),
      }),
    );
    show(DRAFT);
    await user.click(await screen.findByRole("button", { name: /^payroll/ }));
    await user.click(await screen.findByRole("menuitem", { name: /Move to berth-b/ }));
    await user.click(screen.getByRole("button", { name: /^tug-roster/ }));
    await user.click(await screen.findByRole("menuitem", { name: /Move to berth-b/ }));
    await waitFor(() => {
      expect(asked.findLast((each) => each.key.startsWith("PUT"))?.body).toEqual({
        ...form,
        moves: [
          { disk: 12, target: 2 },
          { disk: 11, target: 2 },
        ],
        limits: [],
      });
    });
  });

  it("is one tab stop, and arrow keys go from block to block", async () => {
    serve(answers());
    show();
    const first = await screen.findByRole("button", { name: /^tug-roster/ });
    const stops = screen.getAllByRole("button", { name: /heat/ }).filter((block) => block.tabIndex === 0);
    expect(stops).toHaveLength(1);
    act(() => {
      stops[0]?.focus();
    });
    await user.keyboard("{ArrowDown}{ArrowUp}{ArrowUp}{ArrowDown}");
    expect(document.activeElement).toHaveAccessibleName(/heat/);
    expect(document.activeElement).not.toBe(document.body);
    expect(first).toBeVisible();
  });
});

describe("a large group", () => {
  const many = Array.from({ length: 40 }, (_, n) =>
    stack(n + 1, `store-${String(n)}`, { over: n > 37, fill: n > 37 ? 0.9 : 0.5, blocks: [] }),
  );
  const large = board({ datastores: many, large: true });

  it("shows of a large group those that are over and what leaves them, with a table as its equal", async () => {
    const moves = plan().moves.map((move) => ({ ...move, source: 40, source_name: "store-39", target: 1 }));
    serve(
      answers({
        "GET /api/balance/groups/quayside/": large,
        "GET /api/balance/drafts/9/": { form, lot: lot(), plan: plan({ moves }) },
      }),
    );
    show(DRAFT);
    expect(await screen.findByRole("button", { name: /^store-39, 90 % full/ })).toBeVisible();
    expect(screen.queryByRole("button", { name: /^store-5,/ })).toBeNull();
    const fills = screen.getByRole("list", { name: /all 40 by fill/ });
    expect(within(fills).getByRole("listitem", { name: /^50 % to 60 %: 38 now/ })).toBeVisible();
    await user.click(screen.getByRole("button", { name: "As a table" }));
    const rows = within(screen.getByRole("table", { name: "Datastores of quayside" })).getAllByRole("row");
    expect(rows).toHaveLength(41);
    expect(rows[1]).toHaveTextContent(/store-3[89].*90 %/);
  });

  it("plans moves of several disks of a datastore of a large group at once", async () => {
    const opened = stack(40, "store-39", { blocks: board().datastores[0]?.blocks ?? [] });
    const asked = serve(
      answers({
        "GET /api/balance/groups/quayside/": large,
        "GET /api/balance/groups/quayside/datastores/40/": opened,
        "POST /api/lots/": lot(),
      }),
    );
    show();
    await user.click(await screen.findByRole("button", { name: /^store-39, 90 % full/ }));
    await user.click(await screen.findByRole("checkbox", { name: "Choose tug-roster" }));
    await user.click(screen.getByRole("checkbox", { name: "Choose payroll" }));
    await user.click(screen.getByRole("combobox", { name: "Move those chosen to" }));
    await user.click(await screen.findByRole("option", { name: /^store-0,/ }));
    await user.click(screen.getByRole("button", { name: "Plan the move" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
        kind: "balance",
        form: {
          group: "quayside",
          moves: [
            { disk: 11, target: 1 },
            { disk: 12, target: 1 },
          ],
        },
      });
    });
  });

  it("has ceilings that are set as they were seen", async () => {
    const found = { group: "quayside", fill_ceiling: 0.82, latency_ceiling_ms: 9, by: "", at: null };
    const asked = serve(
      answers({
        "GET /api/balance/groups/quayside/ceilings/": { ...found, number: 4 },
        "PUT /api/balance/groups/quayside/ceilings/": { ...found, number: 5 },
      }),
    );
    show();
    await user.click(await screen.findByRole("button", { name: "Set ceilings" }));
    const form = within(await screen.findByRole("form", { name: "Ceilings" }));
    await user.clear(form.getByLabelText("Full, %"));
    expect(form.getByRole("button", { name: "Set for all" })).toBeDisabled();
    await type(form.getByLabelText("Full, %"), "78.5");
    await user.clear(form.getByLabelText("Answers in, ms"));
    await type(form.getByLabelText("Answers in, ms"), "7");
    await user.click(form.getByRole("button", { name: "Set for all" }));
    await waitFor(() => {
      expect(screen.queryByRole("form", { name: "Ceilings" })).toBeNull();
    });
    const put = asked.find((each) => each.key === "PUT /api/balance/groups/quayside/ceilings/");
    expect(put?.body).toEqual({ fill_ceiling: 0.785, latency_ceiling_ms: 7 });
    expect(put?.ifMatch).toBe('"4"');
  });

  it("keeps the page when a call fails, and says what stayed", async () => {
    serve(answers({ "POST /api/lots/": NOT_THERE }));
    show();
    await user.click(await screen.findByRole("button", { name: "Draft lot" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("Not there.");
    expect(screen.getByRole("group", { name: "berth-a, 95 % full" })).toBeVisible();
  });
});
