import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { auditor, lot, person } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { NeighboursPage } from "./NeighboursPage";
import type { FairCaps, PoolNeighbours } from "./queries";

const hours = (peak: number) => Array.from({ length: 24 }, (_, hour) => (hour === 10 ? peak : 2));

const caps: FairCaps = {
  pool_id: 4,
  pool: "granite-fast",
  ceiling_ms: 9,
  days: 7,
  peak_hour: 10,
  peak_day: "weekday",
  peak_ms: 11.2,
  capped_ms: 8.9,
  left_alone: 12,
  latency_ms: hours(11.2),
  capped_latency_ms: hours(8.9),
  disks: [{ id: 1, name: "build-02 disk 1", machine: "build-02", asks_iops: 6200, cap: 2900, waits: 0.53 }],
  limits: [],
};

const loud = (id: number, name: string, share: number) => ({
  id,
  name,
  machine: name.split(" ")[0] ?? "",
  datastore: "berth-a",
  asks_iops: 10_000 * share,
  share,
  busiest_hour: 14,
  busiest_day: "weekday",
});

const found: PoolNeighbours = {
  over_hours: 3,
  neighbours: [loud(1, "build-02 disk 1", 0.62), loud(2, "payroll disk 1", 0.05)],
  others: 11,
  others_share: 0.33,
  caps,
};

const answers = {
  "GET /api/session/": person,
  "GET /api/balance/pools/": [
    { id: 4, name: "granite-fast", array: "granite", peak_ms: 11.2 },
    { id: 5, name: "basalt-bulk", array: "basalt", peak_ms: null },
  ],
  "GET /api/balance/pools/4/neighbours/": found,
  "GET /api/balance/pools/4/apart/": {
    pools: [
      { id: 5, name: "basalt-deep", group: "quayside", peak_hour: 2, peak_day: "weekday", apart: 0.36 },
    ],
    disks: [
      {
        disk: 1,
        name: "build-02 disk 1",
        group: "quayside",
        target: 9,
        target_name: "slate-01",
        pool: "basalt-deep",
        peak_ms: 11.2,
        peak_ms_after: 6.1,
        other_ms: 3.7,
        other_ms_after: 3.8,
        quiet: 0.9,
      },
    ],
  },
};

const show = (at = "/balance/neighbours") => {
  renderPage(<NeighboursPage />, at);
};

describe("noisy neighbours", () => {
  it("show who makes the slowest pool slow, and who would give way", async () => {
    serve(answers);
    show();
    const table = within(await screen.findByRole("table", { name: "Neighbours on granite-fast" }));
    expect(table.getByRole("row", { name: /build-02 disk 1/ })).toHaveTextContent(
      /62 %.*6,200.*2,900, −53 %/,
    );
    expect(table.getByRole("row", { name: /payroll disk 1/ })).toHaveTextContent("left alone");
    expect(screen.getByText("11 others make 33 % of it")).toBeVisible();
    const strip = screen.getByRole("region", { name: "Hours of granite-fast" });
    expect(strip).toHaveTextContent("▲ 11.2 ms at 10:00 on weekdays, ceiling 9.0 ms; over it at 3 hours");
    expect(screen.getByRole("form", { name: "Cap fairly" })).toHaveTextContent(
      "everybody is answered in 8.9 ms at most instead of 11.2 ms",
    );
  });

  it("are capped by a lot for as many days as typed", async () => {
    const asked = serve({ ...answers, "POST /api/lots/": lot() });
    show("/balance/neighbours?pool=4");
    const form = within(await screen.findByRole("form", { name: "Cap fairly" }));
    await type(await form.findByLabelText("For how many days"), "200");
    expect(form.getByRole("button", { name: "Draft lot" })).toBeDisabled();
    await type(form.getByLabelText("For how many days"), "3");
    await user.click(form.getByRole("button", { name: "Draft lot" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
        kind: "fair_caps",
        form: { pool: 4, days: 3 },
      });
    });
  });

  it("would fit into the hours of another pool, where a lot moves one of them", async () => {
    const asked = serve({ ...answers, "POST /api/lots/": lot() });
    show();
    const card = await screen.findByRole("region", { name: "Peaks apart" });
    expect(card).toHaveTextContent(
      "fit best with basalt-deep, which is busiest at 02:00 on weekdays: both together peak 36 % lower",
    );
    const row = within(card).getByRole("group", { name: "build-02 disk 1 to slate-01" });
    expect(row).toHaveTextContent(
      "90 % of its peak falls into quiet hours there; here 11.2 ms → 6.1 ms; basalt-deep 3.7 ms → 3.8 ms",
    );
    await user.click(
      await within(row).findByRole("button", { name: "Draft lot: build-02 disk 1 to slate-01" }),
    );
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
        kind: "balance",
        form: { group: "quayside", moves: [{ disk: 1, target: 9 }] },
      });
    });
  });

  it("of a pool within its ceiling have nobody give way", async () => {
    const calm = { ...caps, peak_ms: 4, capped_ms: 4, disks: [] };
    serve({ ...answers, "GET /api/balance/pools/4/neighbours/": { ...found, over_hours: 0, caps: calm } });
    show();
    expect(await screen.findByText("It is within its ceiling: nobody has to give way.")).toBeVisible();
    expect(screen.queryByRole("button", { name: "Draft lot" })).toBeNull();
  });

  it("are seen by the auditor, who caps nobody", async () => {
    serve({ ...answers, "GET /api/session/": auditor });
    show();
    expect(await screen.findByRole("form", { name: "Cap fairly" })).toBeVisible();
    expect(screen.queryByRole("button", { name: "Draft lot" })).toBeNull();
  });
});
