import { screen, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { auditor, GIB, job, lot, person } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { user } from "../tests/user";
import { ReductionPage } from "./ReductionPage";

const TIB = 1024 * GIB;
const pool = {
  kind: "pool",
  id: 3,
  name: "shale-home",
  of: "shale",
  capacity_bytes: 10 * TIB,
  used_bytes: 6 * TIB,
  ceiling: 0.82,
  subscribed_bytes: 9 * TIB,
  layers: [],
  difference_bytes: 0,
  growth_bytes: 0,
  early: null,
  likely: null,
  late: null,
  told: false,
  right: 0,
  tried: 0,
  steps: [],
  rests_on: "its own days",
};
const volume = (id: number, name: string) => ({
  id,
  serial: `serial ${name}`,
  name,
  datastore: name,
  held_bytes: 4 * TIB,
  reduced: [],
  saved_bytes: 0,
});
const left = (bytes: number) => [
  { ways: ["compression"], left_bytes: bytes, error_bytes: GIB },
  { ways: ["deduplication"], left_bytes: bytes / 2, error_bytes: 2 * GIB },
];
const sampled = (name: string) => ({
  serial: `serial ${name}`,
  name,
  logical_bytes: 4 * TIB,
  zero_bytes: TIB,
  left: left(2 * TIB),
});
const answer = {
  pool: "shale-home",
  ways: [["compression"], ["deduplication"]],
  volumes: [volume(7, "sand-02"), volume(8, "sand-03")],
  estimate: null,
};
const estimate = {
  pool: 3,
  made_at: "2026-11-28T03:00:00+00:00",
  one_in: 512,
  volumes: [sampled("sand-02"), sampled("sand-03")],
  left: left(3 * TIB),
  shared: [{ one: "sand-02", other: "sand-03", size_bytes: 120 * GIB }],
};
const known = {
  "GET /api/session/": person,
  "GET /api/capacity/": { rows: [pool] },
  "GET /api/capacity/reduction/3/": answer,
};

describe("data reduction", () => {
  it("estimates what is chosen, and shows what it comes to", async () => {
    let done = false;
    const asked = serve({
      ...known,
      "GET /api/capacity/reduction/3/": () => (done ? { ...answer, estimate } : answer),
      "POST /api/capacity/reduction/3/estimate/": job({ kind: "estimate_reduction", state: "waiting" }),
      "GET /api/jobs/7/": () => {
        done = true;
        return job({ kind: "estimate_reduction", state: "done", result: { pool: 3, volumes: 1 } });
      },
    });
    renderPage(<ReductionPage />);
    await user.click(await screen.findByRole("checkbox", { name: "Choose sand-02" }));
    await user.click(screen.getByRole("button", { name: "Estimate 1 volume" }));
    expect(await screen.findAllByText("1.00 TiB ± 4.00 GiB")).toHaveLength(2);
    expect(asked.find((each) => each.key.endsWith("estimate/"))?.body).toEqual({ volumes: [8] });
    expect(screen.getByText("together")).toBeVisible();
    const both = screen.getByRole("region", { name: "Which belong together" });
    expect(within(both).getByText("120 GiB")).toBeVisible();
  });

  it("drafts a lot that reduces what is chosen in the way that is pressed", async () => {
    const asked = serve({
      ...known,
      "GET /api/capacity/reduction/3/": { ...answer, estimate },
      "POST /api/lots/": lot(),
      "GET /api/lots/9/": lot(),
    });
    renderPage(<ReductionPage />);
    await user.click(await screen.findByRole("button", { name: "Have it deduplicated" }));
    expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
      kind: "reduce",
      form: { volumes: [7, 8], ways: ["deduplication"] },
    });
  });

  it("offers to grow back what is reduced", async () => {
    const reduced = { ...volume(7, "sand-02"), reduced: ["compression"], saved_bytes: TIB };
    const asked = serve({
      ...known,
      "GET /api/capacity/reduction/3/": { ...answer, volumes: [reduced] },
      "POST /api/lots/": lot(),
      "GET /api/lots/9/": lot(),
    });
    renderPage(<ReductionPage />);
    expect(await screen.findByText("compressed, which saves 1.00 TiB")).toBeVisible();
    await user.click(await screen.findByRole("button", { name: "Have it grow back" }));
    expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toMatchObject({ form: { ways: [] } });
  });

  it("says of a pool that can do neither what is to be done", async () => {
    serve({ ...known, "GET /api/capacity/reduction/3/": { ...answer, ways: [] } });
    renderPage(<ReductionPage />);
    expect(await screen.findByText(/can neither compress nor deduplicate/)).toBeVisible();
  });

  it("lets who only reads look, and change nothing", async () => {
    serve({
      ...known,
      "GET /api/session/": auditor,
      "GET /api/capacity/reduction/3/": { ...answer, estimate },
    });
    renderPage(<ReductionPage />);
    expect(await screen.findByText("together")).toBeVisible();
    expect(screen.queryByRole("button", { name: /Estimate/ })).toBeNull();
  });
});
