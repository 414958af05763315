import { screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { auditor, lot, person, status, summary, TIB } from "../tests/data";
import { later, renderPage, serve, type Answers } from "../tests/server";
import { type, user } from "../tests/user";
import { BlockPage } from "./BlockPage";

type Plan = Schemas["AttachPlan"];

const POOLS = ["granite-mixed", "granite-fast", "basalt-deep"];
const pool = (name: string, verdict: Schemas["Verdict"], text: string): Schemas["PoolRow"] => ({
  id: POOLS.indexOf(name) + 1,
  name,
  array: "granite",
  capacity_bytes: 20 * TIB,
  allocated_bytes: 10 * TIB,
  free_bytes: 10 * TIB,
  subscription_after: 0.7,
  quota_left_bytes: null,
  reduces: [],
  tiered: false,
  made_of: "RAID6 on HDD, 18 drives",
  verdict,
  text,
});
const plan = (part: Partial<Plan> = {}): Plan => ({
  cluster: "quayside",
  hosts: ["quay-01", "quay-03"],
  size_bytes: 2 * TIB,
  total_bytes: 2 * TIB,
  pools_chosen: [1],
  volumes: [{ name: "berth-e", size_bytes: 2 * TIB, pool_id: 1, pool: "granite-mixed" }],
  problems: [],
  pools: [
    pool("granite-mixed", "fits", "fits"),
    pool("granite-fast", "tight", "11.8 ms at its peak hour, ceiling 9 ms"),
    pool("basalt-deep", "refused", "the pool is not online"),
  ],
  advice: { count: 2, size: "1 TiB", reasons: ["queue: the hosts plan 80", "largest disk: 900 GiB"] },
  board: {
    portals: [{ name: "A1", controller: "A", address: "10.40.8.11" }],
    hosts: [{ name: "quay-03", seen: 0, expected: 1, reason: "storage-b has a standby uplink", paths: [] }],
    seen: 0,
    expected: 1,
  },
  own_targets: true,
  raw: false,
  machines: [],
  fixable: [{ host: "quay-03", text: "Bind storage-b to uplink-2 alone" }],
  ...part,
});
const form: Schemas["AttachForm"] = {
  cluster: "quayside",
  name: "berth-e",
  size: "2 TiB",
  count: "1",
  allocation: "thin",
  tiering: "",
  own_target: false,
  raw: false,
  machines: [],
  reduced: [],
  pools: [],
  fixes: [],
};
const draft = (part: Partial<Plan> = {}, state: Schemas["LotState"] = "draft") => ({
  lot: lot({ summary: summary({ kind: "attach", state }) }),
  form,
  plan: plan(part),
});
const groups = [
  { id: 1, name: "quayside", datastores: 4, fill_ceiling: 0.82, latency_ceiling_ms: 9, in_force: "" },
];

const answers = (more: Answers = {}): Answers => ({
  "GET /api/session/": person,
  "GET /api/status/": status(),
  "GET /api/balance/groups/": groups,
  "GET /api/attach/drafts/9/": draft(),
  ...more,
});
const show = (at = "/attach/block?lot=9") =>
  renderPage(
    <Routes>
      <Route path="attach/block" element={<BlockPage />} />
    </Routes>,
    at,
  );

describe("attaching storage", () => {
  it("lays every pool beside the others with its reason", async () => {
    serve(answers());
    show();
    const pools = within(await screen.findByRole("radiogroup", { name: "Pool" })).getAllByRole("radio");
    expect(pools[0]).toBeChecked();
    expect(pools[0]).toHaveAccessibleName(/10.0 TiB free/);
    expect(pools[1]).toHaveAccessibleName(/11.8 ms at its peak hour/);
    expect(pools[2]).toHaveAccessibleName(/the pool is not online/);
  });

  it("sends what is typed", async () => {
    // As the server does: what was stored on the way is answered, also where somebody types slowly.
    const asked = serve(
      answers({ "PUT /api/attach/drafts/9/": (body: typeof form) => ({ ...draft(), form: body }) }),
    );
    show();
    await type(await screen.findByDisplayValue("2 TiB"), "3 TiB");
    await waitFor(() => {
      expect(asked.findLast((each) => each.key.startsWith("PUT"))?.body).toEqual({ ...form, size: "3 TiB" });
    });
  });

  it("shows a size in the other base, as the array counts", async () => {
    serve(answers());
    show();
    expect(await screen.findByText("2.20 TB as the array counts")).toBeVisible();
  });

  it("explains a bad entry beside its field", async () => {
    const problems = [
      { field: "size", code: "size_comma", message: "“4,5” has a comma.", hint: "Write 4.5 TiB." },
    ];
    serve(answers({ "GET /api/attach/drafts/9/": draft({ problems, size_bytes: null }) }));
    show();
    expect(await screen.findByText("“4,5” has a comma. Write 4.5 TiB.")).toBeVisible();
    expect(screen.getByLabelText("Size")).toBeInvalid();
    expect(screen.getByLabelText("Datastore name")).toBeValid();
  });

  it("offers the fix of a host that would miss paths as the first step", async () => {
    const asked = serve(answers({ "PUT /api/attach/drafts/9/": draft({ fixable: [] }) }));
    show();
    await user.click(await screen.findByRole("button", { name: "Add the fix first" }));
    await waitFor(() => {
      expect(asked.findLast((each) => each.key.startsWith("PUT"))?.body).toMatchObject({
        fixes: ["quay-03"],
      });
    });
  });

  it("says how many there should be and why, and takes the advice over with one click", async () => {
    const asked = serve(
      answers({ "PUT /api/attach/drafts/9/": (body: typeof form) => ({ ...draft(), form: body }) }),
    );
    show();
    const advice = await screen.findByRole("region", { name: "Advice on size" });
    expect(advice).toHaveTextContent("Advised for this space: 2 of 1 TiB");
    expect(within(advice).getAllByRole("listitem")[0]).toHaveTextContent("queue: the hosts plan 80");
    await user.click(within(advice).getByRole("button", { name: "Use 2 of 1 TiB" }));
    await waitFor(() => {
      expect(asked.findLast((each) => each.key.startsWith("PUT"))?.body).toMatchObject({
        count: "2",
        size: "1 TiB",
      });
    });
  });

  it("asks for data reduction, and shows what the chosen pool is made of", async () => {
    const asked = serve(answers({ "PUT /api/attach/drafts/9/": draft() }));
    show();
    expect(await screen.findByText("RAID6 on HDD, 18 drives")).toBeVisible();
    await user.click(screen.getByLabelText("Data reduction"));
    await user.click(await screen.findByRole("option", { name: "Both" }));
    await waitFor(() => {
      expect(asked.findLast((each) => each.key.startsWith("PUT"))?.body).toMatchObject({
        reduced: ["compression", "deduplication"],
      });
    });
  });
});

describe("the pools that a draft uses", () => {
  it("chooses another pool by click, shown before its plan has come", async () => {
    const planned = later<Schemas["AttachDraft"]>();
    const asked = serve(answers({ "PUT /api/attach/drafts/9/": () => planned.promise }));
    show();
    const fast = await screen.findByRole("radio", { name: /granite-fast/ });
    await user.click(fast);
    expect(fast).toBeChecked();
    planned.come({ ...draft({ pools_chosen: [2] }), form: { ...form, pools: [2] } });
    await waitFor(() => {
      expect(asked.findLast((each) => each.key.startsWith("PUT"))?.body).toMatchObject({
        pools: [2],
      });
    });
  });

  it("says on which array a pool is where two have one of its name", async () => {
    const [mixed] = plan().pools;
    if (!mixed) throw new Error("no pool");
    const pools = [mixed, { ...mixed, id: 8, array: "basalt" }];
    const asked = serve(
      answers({
        "GET /api/attach/drafts/9/": draft({ pools }),
        "PUT /api/attach/drafts/9/": draft({ pools, pools_chosen: [8] }),
      }),
    );
    show();
    await user.click(await screen.findByRole("radio", { name: /granite-mixed on basalt/ }));
    await waitFor(() => {
      expect(asked.findLast((each) => each.key.startsWith("PUT"))?.body).toMatchObject({ pools: [8] });
    });
  });

  it("shares several volumes out over the pools ticked", async () => {
    const volumes = ["berth-1", "berth-2", "berth-3"].map((name, n) => ({
      name,
      size_bytes: 2 * TIB,
      pool_id: n,
      pool: n === 1 ? "granite-fast" : "granite-mixed",
    }));
    const several = { volumes, total_bytes: 6 * TIB, pools_chosen: [1] };
    const asked = serve(
      answers({ "GET /api/attach/drafts/9/": draft(several), "PUT /api/attach/drafts/9/": draft(several) }),
    );
    show();
    const section = await screen.findByRole("region", { name: "Volumes" });
    expect(section).toHaveTextContent("3 volumes, 6.00 TiB together");
    expect(section).toHaveTextContent("granite-mixed: berth-1, berth-3");
    const mixed = screen.getByRole("checkbox", { name: /granite-mixed/ });
    expect(mixed).toBeChecked();
    await user.click(screen.getByRole("checkbox", { name: /granite-fast/ }));
    await waitFor(() => {
      expect(asked.findLast((each) => each.key.startsWith("PUT"))?.body).toMatchObject({
        pools: [1, 2],
      });
    });
    // The last one ticked stays: a lot needs some pool.
    await user.click(mixed);
    await waitFor(() => {
      expect(asked.findLast((each) => each.key.startsWith("PUT"))?.body).toMatchObject({
        pools: [1],
      });
    });
  });
});

describe("a draft that may not be changed", () => {
  it("is read only once the lot runs, with the way to the next one", async () => {
    serve(answers({ "GET /api/attach/drafts/9/": draft({}, "running") }));
    show();
    expect(await screen.findByText(/is running/)).toBeVisible();
    expect(screen.getByLabelText("Datastore name")).toBeDisabled();
    expect(screen.getByRole("link", { name: "Back to Attach" })).toHaveAttribute("href", "/attach");
  });

  it("lets the auditor read the draft", async () => {
    serve(answers({ "GET /api/session/": auditor }));
    show();
    expect(await screen.findByText("Your role reads only.")).toBeVisible();
    expect(screen.getByLabelText("Size")).toBeDisabled();
  });
});
