import { fireEvent, screen, within } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { auditor, person, status } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { RoundsPage } from "./RoundsPage";

const finding = (subject: string, kind: string) => ({
  key: `${kind}:${subject}`,
  kind,
  urgency: "now",
  subject_kind: "datastore",
  subject,
  subject_id: 3,
  stage: "balance",
  figures: {
    fill: 0.95,
    ceiling: 0.82,
    over_bytes: 1024 ** 4,
    growth_bytes_per_day: null,
    runway_days: null,
    plan_moves: 2,
    plan_bytes: 1024 ** 4,
  },
  reasons: [],
  draft: { kind: "balance", form: { group: "quayside" }, action: "Move disks" },
});
const rounds = {
  findings: [finding("berth-a", "over_fill"), finding("berth-b", "over_fill")],
  arrays: [],
  slowest: null,
  quiet: { datastores: 4, hosts: 3, disks: 40 },
  last_lot: null,
};

beforeEach(() => {
  vi.unstubAllGlobals();
});

describe("Rounds", () => {
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
    });
    renderPage(<RoundsPage />);
    const rows = await screen.findAllByRole("listitem");
    expect(rows[0]).toHaveAttribute("aria-current", "true");
    fireEvent.keyDown(window, { key: "j" });
    expect(rows[1]).toHaveAttribute("aria-current", "true");
    fireEvent.keyDown(window, { key: "k" });
    expect(rows[0]).toHaveAttribute("aria-current", "true");
    fireEvent.click(within(rows[0] as HTMLElement).getByRole("button"));
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

  it("says what to do first where no device is linked", async () => {
    const empty = { ...rounds, findings: [], quiet: { datastores: 0, hosts: 0, disks: 0 } };
    serve({
      "GET /api/rounds/": empty,
      "GET /api/status/": status({ devices: 0, findings: 0 }),
      "GET /api/session/": person,
    });
    renderPage(<RoundsPage />);
    expect(await screen.findByRole("link", { name: "Link a device" })).toHaveAttribute("href", "/devices");
  });
});
