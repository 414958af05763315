import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { auditor, finding, person, status } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { RoundsPage } from "./RoundsPage";

const rounds = {
  findings: [finding("berth-a", { id: 1 }), finding("berth-b", { id: 2 })],
  put_off: [] as unknown[],
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
    fireEvent.click(within(rows[0] as HTMLElement).getByRole("button", { name: /Draft lot/ }));
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
      "DELETE /api/rounds/findings/2/acknowledged/": later,
    });
    renderPage(<RoundsPage />);
    const list = await screen.findByRole("region", { name: "Put off" });
    expect(list).toHaveTextContent(/until 1 Dec.* by ines.marrow: disks move on Friday/);
    fireEvent.click(within(list).getByRole("button", { name: /Bring back/ }));
    fireEvent.click(screen.getByRole("button", { name: "Put off: Over its fill ceiling, berth-a" }));
    fireEvent.change(screen.getByLabelText("Why"), { target: { value: "later" } });
    fireEvent.click(screen.getByRole("button", { name: "For a week" }));
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
