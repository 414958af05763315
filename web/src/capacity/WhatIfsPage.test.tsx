import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { auditor, person } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { user } from "../tests/user";
import { WhatIfsPage } from "./WhatIfsPage";

const ends = (likely: number | null, there = true) => ({
  used_bytes: 2 ** 40,
  capacity_bytes: 2 ** 41,
  early: likely,
  likely,
  late: likely,
  there,
});

const known = {
  "GET /api/session/": person,
  "GET /api/capacity/what-ifs/": [
    {
      id: 4,
      name: "archive",
      asked: { growth: 1, acts: [] },
      said: ["200 GiB more in berth-a in 3 days"],
      made_by: "ines.marrow",
      made_at: "2026-11-28T07:00:00Z",
    },
  ],
  "GET /api/capacity/what-ifs/compared/": {
    names: ["archive", "no basalt"],
    said: [["200 GiB more in berth-a in 3 days"], ["basalt-deep retired"]],
    problems: ["old: The pool of “pool 9 retired” is no longer there."],
    rows: [
      { id: 1, name: "berth-a", of: "fast", told: true, now: ends(66), then: [ends(46), ends(66)] },
      { id: 2, name: "slate-01", of: "deep", told: true, now: ends(99), then: [ends(null), ends(0, false)] },
    ],
  },
};

describe("what ifs that are kept", () => {
  it("are compared, and say what cannot be answered", async () => {
    serve(known);
    renderPage(<WhatIfsPage />, "/?by=datastore");
    const table = await screen.findByRole("table", { name: "What ifs by datastore" });
    const [, berth, slate] = within(table).getAllByRole("row");
    expect(berth).toHaveTextContent(/berth-a.*66 days.*▼ 46 days.*66 days/);
    expect(slate).toHaveTextContent(/99 days.*△ beyond a year.*retired/);
    expect(screen.getByText(/▲ old: The pool of/)).toBeVisible();
    expect(screen.getByRole("region", { name: "Kept" })).toHaveTextContent(
      "200 GiB more in berth-a in 3 days",
    );
    expect(screen.getByRole("link", { name: "archive" })).toHaveAttribute("href", "/capacity?if=4");
  });

  it("are deleted once that was read", async () => {
    const asked = serve({ ...known, "DELETE /api/capacity/what-ifs/4/": null });
    renderPage(<WhatIfsPage />);
    await user.click(await screen.findByRole("button", { name: "Delete archive" }));
    await user.click(screen.getByRole("button", { name: "Delete it" }));
    await waitFor(() => {
      expect(asked.some((each) => each.key === "DELETE /api/capacity/what-ifs/4/")).toBe(true);
    });
  });

  it("are only looked at by auditors, and say where one is made where there is none", async () => {
    serve({ ...known, "GET /api/session/": auditor, "GET /api/capacity/what-ifs/": [] });
    renderPage(<WhatIfsPage />);
    expect(await screen.findByText(/Nothing is kept yet/)).toBeVisible();
    expect(screen.queryByRole("button", { name: /Delete/ })).toBeNull();
  });
});
