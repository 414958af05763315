import { act, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { auditor, finding, person, quietRounds, status } from "../tests/data";
import { LOST, NOT_THERE, renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { RoundsPage } from "./RoundsPage";

const rounds = { ...quietRounds, findings: [finding("berth-a", { id: 1 }), finding("berth-b", { id: 2 })] };

const FIRST = [
  { name: "Link an array", text: "", path: "/devices", done: true },
  { name: "Link the hosts", text: "", path: "/devices", done: false },
];

describe("Rounds", () => {
  it("keeps the chosen row when a poll brings another before it, so that D drafts what was looked at", async () => {
    let findings = [finding("berth-a", { id: 1 }), finding("berth-b", { id: 2 })];
    const asked = serve({
      "GET /api/rounds/": () => ({ ...rounds, findings }),
      "GET /api/status/": status(),
      "GET /api/session/": person,
      "POST /api/lots/": NOT_THERE,
    });
    const { queries } = renderPage(<RoundsPage />);
    await screen.findByRole("list", { name: "Findings" });
    await user.keyboard("j");
    findings = [finding("berth-0", { id: 3 }), ...findings];
    await act(() => queries.invalidateQueries());
    expect(await screen.findByText("berth-0")).toBeVisible();
    const [, , chosen] = screen.getAllByRole("listitem");
    expect(chosen).toHaveAttribute("aria-current", "true");
    await user.keyboard("d");
    await waitFor(() => {
      expect(asked.some((each) => each.key === "POST /api/lots/")).toBe(true);
    });
    expect(chosen).toHaveTextContent("berth-b");
  });

  it("folds what one and the same lot settles into one row, by kind, with all its subjects", async () => {
    const lots = Array.from({ length: 25 }, (_, n) =>
      finding(`store-${String(n).padStart(2, "0")}`, { id: n + 1, settled_with: "balance" }),
    );
    const slow = finding("pool-3", {
      id: 90,
      kind: "slow_pool",
      title: "Slow at peak",
      settled_with: "balance",
    });
    serve({
      "GET /api/rounds/": { ...rounds, findings: [...lots, slow] },
      "GET /api/status/": status(),
      "GET /api/session/": person,
    });
    renderPage(<RoundsPage />);
    const [row, ...others] = await screen.findAllByRole("listitem");
    expect(others).toEqual([]);
    expect(row).toHaveTextContent("store-00, store-01, store-02, store-03");
    expect(row).toHaveTextContent("Slow at peak");
    expect(row).toHaveTextContent("settles 26");
    await user.click(screen.getByRole("button", { name: "and 21 more" }));
    expect(row).toHaveTextContent("store-24");
  });

  it("keeps the page under an alert when a poll fails", async () => {
    let fails = false;
    serve({
      "GET /api/rounds/": () => (fails ? LOST : rounds),
      "GET /api/status/": status(),
      "GET /api/session/": person,
    });
    const { queries } = renderPage(<RoundsPage />);
    await screen.findAllByRole("listitem");
    fails = true;
    await act(() => queries.invalidateQueries());
    expect(await screen.findByRole("alert")).toHaveTextContent("does not answer");
    expect(screen.getAllByRole("listitem")).toHaveLength(2);
  });

  it("shows each finding with its figures and what the lot would do", async () => {
    serve({ "GET /api/rounds/": rounds, "GET /api/status/": status(), "GET /api/session/": person });
    renderPage(<RoundsPage />);
    const rows = await screen.findAllByRole("listitem");
    expect(rows).toHaveLength(2);
    expect(rows[0]).toHaveTextContent("95 % full; ceiling 82 %, 1.00 TiB over");
    expect(rows[0]).toHaveTextContent("Move 2 disks, 1.00 TiB");
    expect(screen.getByText(/4 datastores, 3 hosts, 40 disks/)).toBeVisible();
  });

  it("moves along the rows by key and drafts for the row it stands on", async () => {
    const asked = serve({
      "GET /api/rounds/": rounds,
      "GET /api/status/": status(),
      "GET /api/session/": person,
      "POST /api/lots/": NOT_THERE,
    });
    renderPage(<RoundsPage />);
    const rows = await screen.findAllByRole("listitem");
    expect(rows[0]).toHaveAttribute("aria-current", "true");
    await user.keyboard("j");
    expect(rows[1]).toHaveAttribute("aria-current", "true");
    await user.keyboard("k");
    expect(rows[0]).toHaveAttribute("aria-current", "true");
    await user.click(within(rows[0] as HTMLElement).getByRole("button", { name: /Draft lot/ }));
    expect(await screen.findByRole("alert")).toHaveTextContent("Not there.");
    expect(asked.map((each) => each.key)).toContain("POST /api/lots/");
  });

  it("offers nobody a change whose role reads only", async () => {
    serve({
      "GET /api/rounds/": rounds,
      "GET /api/status/": status(),
      "GET /api/session/": auditor,
    });
    renderPage(<RoundsPage />);
    for (const row of await screen.findAllByRole("listitem")) {
      expect(within(row).getByRole("button")).toBeDisabled();
    }
  });
});

describe("what can be done in Rounds", () => {
  it("puts a finding off with a note, and shows who did until when", async () => {
    const later = finding("berth-b", {
      id: 2,
      acknowledged_until: "2026-12-01T09:00:00Z",
      acknowledged_by: "ines.marrow",
      acknowledged_note: "disks move on Friday",
    });
    const asked = serve({
      "GET /api/rounds/": { ...rounds, findings: [finding("berth-a", { id: 1 })], put_off: [later] },
      "GET /api/status/": status(),
      "GET /api/session/": person,
      "PUT /api/rounds/findings/1/acknowledged/": finding("berth-a"),
      "DELETE /api/rounds/findings/2/acknowledged/": null,
    });
    renderPage(<RoundsPage />);
    const list = await screen.findByRole("region", { name: "Put off" });
    expect(list).toHaveTextContent(/until 1 Dec.* by ines.marrow: disks move on Friday/);
    await user.click(within(list).getByRole("button", { name: /Bring back/ }));
    await user.click(screen.getByRole("button", { name: "Put off: Over its fill ceiling, berth-a" }));
    await type(await screen.findByLabelText("Why"), "later");
    await user.click(screen.getByRole("button", { name: "For a week" }));
    await waitFor(() => {
      expect(asked.map((each) => each.key)).toEqual(
        expect.arrayContaining([
          "DELETE /api/rounds/findings/2/acknowledged/",
          "PUT /api/rounds/findings/1/acknowledged/",
        ]),
      );
    });
  });

  it("says what to do first where no device is linked", async () => {
    const empty = {
      ...rounds,
      first_hour: FIRST,
      findings: [],
      quiet: { datastores: 0, hosts: 0, disks: 0 },
    };
    serve({
      "GET /api/rounds/": empty,
      "GET /api/status/": status({ devices: 0, findings: 0 }),
      "GET /api/session/": person,
    });
    renderPage(<RoundsPage />);
    const steps = within(await screen.findByRole("region", { name: "The first hour" })).getAllByRole(
      "listitem",
    );
    expect(steps[0]).toHaveTextContent("Link an array");
    expect(within(steps[0] as HTMLElement).getByRole("img", { name: "done" })).toBeVisible();
    expect(within(steps[1] as HTMLElement).getByRole("link", { name: "Begin" })).toHaveAttribute(
      "href",
      "/devices",
    );
  });
});
