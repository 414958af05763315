import { screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { describe, expect, it } from "vitest";
import { auditor, GIB, lot, person } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { PoolPage } from "./PoolPage";

const TIB = 1024 * GIB;

const pool = {
  id: 6,
  name: "basalt-bulk",
  array: "basalt",
  array_id: 4,
  media: "HDD",
  raid: "RAID6",
  capacity_bytes: 40 * TIB,
  allocated_bytes: 8 * TIB,
  subscribed_bytes: 14 * TIB,
  page_bytes: 128 * 2 ** 20,
  addable_drives: 6,
  cache_bytes: 64 * GIB,
  cache_hit_share: 0.35,
  reduces: [],
  relocation: "22:00-04:00",
  granted: true,
  quota_bytes: 14 * TIB,
  drives: [
    { media: "SSD", size_bytes: 2 * TIB, state: "in use", count: 3 },
    { media: "HDD", size_bytes: 2 * TIB, state: "failed", count: 1 },
  ],
  groups: [
    { name: "basalt-bulk-g1", raid: "RAID6", drives: 10 },
    { name: "basalt-bulk-g2", raid: "RAID6", drives: 9 },
  ],
  tiers: [
    {
      media: "SSD",
      capacity_bytes: 4 * TIB,
      days: [
        { day: "2026-11-01", used_bytes: TIB, moved_in_bytes: 30 * GIB },
        { day: "2026-11-02", used_bytes: TIB + 8 * GIB, moved_in_bytes: 40 * GIB },
      ],
    },
    { media: "HDD", capacity_bytes: 36 * TIB, days: [] },
  ],
  volumes: [
    {
      id: 21,
      name: "slate-03",
      kind: "block",
      datastore: "slate-03",
      datastore_id: 9,
      size_bytes: 5 * TIB,
      held_bytes: 940 * GIB,
      saved_bytes: null,
      thin: true,
      tiering: "fastest",
      offers: 1,
    },
  ],
  volume_count: 1,
  neighbours: [{ id: 5, name: "basalt-deep" }],
  row: null,
};

const curve = {
  shape: "one queue",
  samples: 670,
  idle_ms: 4.2,
  seen_ms: 4.3,
  seen: 36.7,
  known: 44.07,
  allowed: null as number | null,
  low: 0.96,
  high: 1.05,
  cautious: true,
};

const known = {
  "GET /api/session/": person,
  "GET /api/capacity/pools/6/": pool,
  "GET /api/labels/pool/6/": { labels: [] },
  "GET /api/pools/6/curve/": curve,
};
const show = () => {
  renderPage(
    <Routes>
      <Route path="/capacity/pool/:id" element={<PoolPage />} />
    </Routes>,
    "/capacity/pool/6",
  );
};

describe("a pool's page", () => {
  it("says what it is made of, and what lies on each tier and came there", async () => {
    serve(known);
    show();
    const made = await screen.findByRole("region", { name: "Made of" });
    expect(made).toHaveTextContent("HDD drives failed1 of 2.00 TiB");
    expect(made).toHaveTextContent("RAID6, 2 groups of 9 to 10 drives");
    expect(made).toHaveTextContent("64.0 GiB, spares 35 % of reads");
    expect(made).toHaveTextContent("14.0 TiB, 0.35 to 1");
    const tiers = screen.getByRole("region", { name: "Tiers" });
    expect(tiers).toHaveTextContent("1.01 TiB of 4.00 TiB, 25 %+8.00 GiB in 2 days");
    expect(tiers).toHaveTextContent("70.0 GiB came from other tiers");
    expect(tiers).toHaveTextContent("the array tells no more of it");
    expect(
      within(tiers).getByRole("img", { name: "Came to SSD in each of 2 nights, 40.0 GiB at most" }),
    ).toBeVisible();
    expect(screen.getByRole("region", { name: "Volumes" })).toHaveTextContent(
      "940 GiB of 5.00 TiBthin, fastest tier",
    );
  });

  it("retires it with another pool, kept or, by their names, deleted", async () => {
    const asked = serve({ ...known, "POST /api/lots/": lot(), "GET /api/lots/9/": lot() });
    show();
    await user.click(await screen.findByRole("button", { name: "Retire it" }));
    await user.click(screen.getByRole("checkbox", { name: "together with basalt-deep" }));
    const draft = screen.getByRole("button", { name: "Draft the lot" });
    expect(draft).toBeEnabled();
    await user.click(screen.getByRole("checkbox", { name: /^keep the empty volumes/ }));
    expect(draft).toBeDisabled();
    await type(
      screen.getByRole("textbox", { name: "Type basalt-bulk, basalt-deep to have it deleted" }),
      "basalt-bulk, basalt-deep",
    );
    await user.click(draft);
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
        kind: "retire",
        form: { pools: [6, 5], keep: false, confirm: "basalt-bulk, basalt-deep" },
      });
    });
  });

  it("grows it by drives that belong to no pool", async () => {
    const asked = serve({ ...known, "POST /api/lots/": lot(), "GET /api/lots/9/": lot() });
    show();
    const count = await screen.findByRole("spinbutton", { name: "Drives to add" });
    const join = screen.getByRole("button", { name: "Have them join basalt-bulk" });
    await user.clear(count);
    await type(count, "7");
    expect(join).toBeDisabled();
    await user.clear(count);
    await type(count, "4");
    await user.click(join);
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
        kind: "grow_pool",
        form: { pool: 6, drives: 4 },
      });
    });
  });

  it("lets those who only look retire nothing", async () => {
    serve({ ...known, "GET /api/session/": auditor });
    show();
    await screen.findByRole("region", { name: "Volumes" });
    expect(screen.queryByRole("button", { name: "Retire it" })).toBeNull();
  });

  it("says how it answers, and lets plans load it further by the word of who knows it", async () => {
    const told: unknown[] = [];
    serve({
      ...known,
      "PUT /api/pools/6/curve/": (body: { allowed: number | null }) => {
        told.push(body);
        return { ...curve, allowed: body.allowed };
      },
    });
    show();
    const answers = await screen.findByRole("region", { name: "How it answers" });
    expect(answers).toHaveTextContent("one queue, from 670 hours");
    expect(answers).toHaveTextContent("4.3 ms at 37 reads of 8 KiB a second");
    expect(answers).toHaveTextContent("−4 % to +5 %; nothing is known beyond the most seen");
    expect(answers).toHaveTextContent(
      "below its ceiling, plans load it up to44 reads of 8 KiB a second, by what was seen",
    );
    await type(within(answers).getByRole("spinbutton"), "1000");
    await user.click(within(answers).getByRole("button", { name: "Allow it" }));
    expect(await within(answers).findByText("1,000 reads of 8 KiB a second, as people say")).toBeVisible();
    await user.click(within(answers).getByRole("button", { name: "Take it back" }));
    await waitFor(() => {
      expect(told).toEqual([{ allowed: 1000 }, { allowed: null }]);
    });
  });
});
