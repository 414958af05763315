import { screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { person } from "../tests/data";
import { Refusal, renderPage, serve } from "../tests/server";
import { user } from "../tests/user";
import { PathsPage } from "./PathsPage";

const paths = (part: Partial<Schemas["PathsAnswer"]> = {}): Schemas["PathsAnswer"] => ({
  cluster: "quayside",
  array: "granite",
  clusters: ["quayside", "gatehouse"],
  arrays: ["granite"],
  volumes: [
    { id: 1, name: "berth-a" },
    { id: 2, name: "berth-b" },
  ],
  volume: null,
  board: {
    portals: [{ name: "A1", controller: "A", address: "10.40.8.11" }],
    hosts: [
      {
        name: "quay-03",
        seen: 0,
        expected: 1,
        reason: "storage-b has a standby uplink",
        paths: [{ port: "storage-b", portal: "A1", state: "missing", reason: "standby" }],
      },
    ],
    seen: 20,
    expected: 24,
  },
  more_hosts: 0,
  zones: [],
  sessions: [],
  interfaces: [],
  more_interface_hosts: 0,
  points: [
    {
      kind: "switch",
      component: "switch-1",
      hosts: ["quay-03"],
      volumes: ["berth-a", "berth-b", "berth-c", "berth-d", "berth-e", "berth-f", "berth-g"],
    },
  ],
  ...part,
});
const show = (at = "/attach/paths") =>
  renderPage(
    <Routes>
      <Route path="attach/paths" element={<PathsPage />} />
    </Routes>,
    at,
  );

describe("paths", () => {
  it("say first how many are missing", async () => {
    serve({ "GET /api/session/": person, "GET /api/network/paths/": paths() });
    show();
    expect(await screen.findByText("□ 4 of 24 paths are missing")).toBeVisible();
    expect(screen.getByRole("region", { name: "Paths of quayside to granite" })).toHaveTextContent(
      "storage-b has a standby uplink",
    );
  });

  it("name each single point of failure with a way to its loss", async () => {
    serve({ "GET /api/session/": person, "GET /api/network/paths/": paths() });
    show();
    const table = await screen.findByRole("table", { name: "Single points of failure" });
    expect(within(table).getByRole("link", { name: "switch switch-1" })).toHaveAttribute(
      "href",
      "/attach/loss?kind=switch&name=switch-1",
    );
    expect(table).toHaveTextContent("quay-03");
    expect(table).toHaveTextContent("berth-f and 1 more");
  });

  it("say so when nothing is missing and nothing hangs on one thing", async () => {
    const well = paths({ points: [], board: { ...paths().board, seen: 24 } });
    serve({ "GET /api/session/": person, "GET /api/network/paths/": well });
    show();
    expect(await screen.findByText("■ every path is there")).toBeVisible();
    expect(screen.getByText(/No single port, uplink, switch/)).toBeVisible();
  });

  it("keep the choice of a volume in the address, and drop it with another cluster", async () => {
    serve({ "GET /api/session/": person, "GET /api/network/paths/": paths() });
    show();
    await user.click(await screen.findByRole("combobox", { name: "Volume" }));
    await user.click(await screen.findByRole("option", { name: "berth-b" }));
    await waitFor(() => {
      expect(screen.getByLabelText("address")).toHaveTextContent("/attach/paths?volume=2");
    });
    await user.click(screen.getByRole("combobox", { name: "Cluster" }));
    await user.click(await screen.findByRole("option", { name: "gatehouse" }));
    await waitFor(() => {
      expect(screen.getByLabelText("address")).toHaveTextContent("/attach/paths?cluster=gatehouse");
    });
  });

  it("say how many hosts are not listed", async () => {
    serve({ "GET /api/session/": person, "GET /api/network/paths/": paths({ more_hosts: 340 }) });
    show();
    expect(await screen.findByText(/and 340 more hosts/)).toBeVisible();
  });

  it("say what to link first", async () => {
    const none = { code: "no_paths", title: "No array with hosts is linked yet.", hint: "Link them." };
    serve({ "GET /api/session/": person, "GET /api/network/paths/": new Refusal(404, none) });
    show();
    expect(await screen.findByRole("alert")).toHaveTextContent("No array with hosts is linked yet.");
  });
});
