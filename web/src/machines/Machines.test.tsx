import { screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { auditor, GIB, lot, person } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { MachinePage } from "./MachinePage";
import { MachinesPage } from "./MachinesPage";
import type { Machine, MachineRow } from "./queries";

const row = (id: number, name: string, part: Partial<MachineRow> = {}): MachineRow => ({
  id,
  name,
  host: "quay-01",
  host_id: 3,
  cluster: "quayside",
  power: "On",
  processors: 2,
  memory_bytes: 8 * GIB,
  disks: 2,
  provisioned_bytes: 300 * GIB,
  written_bytes: null,
  snapshots: 0,
  snapshot_bytes: 0,
  peak_iops: 1234.5,
  peak_hour: 9,
  latency_ms: 8.46,
  state: "",
  out: 0,
  policies: "",
  labels: "",
  ...part,
});
const board: Schemas["PoliciesAnswer"] = {
  columns: [],
  policies: [{ id: 7, name: "Records", sentence: "", number: 1, disks: 0, out: 0, not_judged: 0, cells: [] }],
  kinds: [],
  disks: 3,
  with_policy: 0,
  settling: [],
};
const answers = {
  "GET /api/session/": person,
  "GET /api/machines/": {
    count: 2,
    next: null,
    previous: null,
    results: [row(1, "payroll", { state: "out of policy", out: 2 }), row(2, "tide-model")],
  },
  "GET /api/machines/clusters/": ["gatehouse", "quayside"],
  "GET /api/policies/": board,
  "GET /api/saved-views/": [{ id: 5, page: "machines", name: "out at night", query: "state=out+of+policy" }],
};

describe("the list of machines", () => {
  it("shows figures, and says what is not known", async () => {
    serve(answers);
    renderPage(<MachinesPage />);
    const line = (await screen.findByRole("link", { name: "payroll" })).closest("tr");
    expect(line).toHaveTextContent("300 GiB");
    expect(line).toHaveTextContent("2 out of policy");
    expect(line).toHaveTextContent("1,235");
    expect(line).toHaveTextContent("8.5 ms");
    expect(screen.getByRole("link", { name: "tide-model" }).closest("tr")).toHaveTextContent("no policy");
  });

  it("asks the server for what is filtered and sorted, and nothing of what is not", async () => {
    const asked = serve(answers);
    renderPage(<MachinesPage />, "/?power=Off&state=nonsense&sort=-peak_iops");
    await screen.findByRole("link", { name: "payroll" });
    const list = asked.find((each) => each.key === "GET /api/machines/");
    expect(list?.query).toBe("?page=1&page_size=100&ordering=-peak_iops&power=Off");
    expect(screen.getByRole("link", { name: "CSV of all" })).toHaveAttribute(
      "href",
      "/api/machines/csv/?power=Off&ordering=-peak_iops",
    );
  });

  it("gives a policy and a label to those that are chosen", async () => {
    const asked = serve({
      ...answers,
      "POST /api/policies/given/": { count: 1 },
      "POST /api/machines/labels/": { count: 2 },
    });
    renderPage(<MachinesPage />);
    await user.click(await screen.findByRole("checkbox", { name: "Choose payroll" }));
    const acts = screen.getByRole("region", { name: "Chosen machines" });
    await user.click(within(acts).getByRole("combobox", { name: "Policy of the whole machine" }));
    await user.click(await screen.findByRole("option", { name: "Records" }));
    await user.click(within(acts).getByRole("button", { name: "Give it" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/policies/given/")?.body).toEqual({
        policy: 7,
        machines: [1],
      });
    });
    await user.click(await screen.findByRole("checkbox", { name: "Choose all machines shown" }));
    const again = await screen.findByRole("region", { name: "Chosen machines" });
    await type(within(again).getByRole("textbox", { name: "Label, key=value" }), "team=dues");
    await user.click(within(again).getByRole("button", { name: "Add" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/machines/labels/")?.body).toEqual({
        machines: [1, 2],
        add: ["team=dues"],
      });
    });
  });

  it("keeps what is shown as a view, and opens one that was kept", async () => {
    const asked = serve({
      ...answers,
      "POST /api/saved-views/": { id: 6, page: "machines", name: "off", query: "power=Off" },
    });
    renderPage(<MachinesPage />, "/?power=Off&at=40");
    await type(await screen.findByRole("textbox", { name: "Name of this view" }), "off");
    await user.keyboard("{Enter}");
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/saved-views/")?.body).toEqual({
        page: "machines",
        name: "off",
        query: "power=Off",
      });
    });
    await user.click(screen.getByRole("link", { name: "out at night" }));
    await waitFor(() => {
      expect(screen.getByLabelText("address")).toHaveTextContent("/?state=out+of+policy");
    });
  });

  it("lets nobody choose who may not change anything", async () => {
    serve({ ...answers, "GET /api/session/": auditor });
    renderPage(<MachinesPage />);
    await screen.findByRole("link", { name: "payroll" });
    expect(screen.queryByRole("checkbox")).toBeNull();
  });
});

const disk = (id: number, part: Partial<Machine["disks"][number]> = {}): Machine["disks"][number] => ({
  id,
  name: `payroll disk ${String(id)}`,
  size_bytes: 100 * GIB,
  written_bytes: 40 * GIB,
  thin: false,
  datastore_id: 4,
  datastore: "berth-a",
  raw: false,
  pinned: false,
  given: null,
  policy: "",
  because: "",
  state: "",
  reason: "",
  since: null,
  peak_iops: 12,
  cap_iops: null,
  floor_iops: null,
  limited_by: "",
  past: [],
  ...part,
});
const held = 8 * GIB;
const snapshot = (id: number, name: string, parent: string, standing = false) => ({
  id,
  name,
  parent,
  standing,
  taken_at: "2025-06-01T02:00:00Z",
  disks: 2,
  held_bytes: held,
  place: standing ? "berth-d" : "",
  stands: { policy: "", because: "", state: "", reason: "", since: null },
});
const machine: Machine = {
  id: 1,
  name: "payroll",
  host_id: 3,
  host: "quay-01",
  cluster: "quayside",
  since: "2026-11-01T00:00:00Z",
  power: "Off",
  os: "Linux 6.1",
  address: "",
  processors: 4,
  memory_bytes: 16 * GIB,
  home: "berth-a",
  given: null,
  given_files: 7,
  given_snapshots: null,
  files: {
    policy: "Records",
    because: "given to its own files",
    state: "out of policy",
    reason: "its pool has flash",
    since: "2026-11-20T02:00:00Z",
  },
  disks: [
    disk(1),
    disk(2, {
      policy: "Records",
      because: "by a label",
      state: "out of policy",
      reason: "media is flash, not spinning drives",
      since: "2026-11-20T02:00:00Z",
      past: [
        {
          policy: "Records",
          state: "in policy",
          reason: "",
          since: "2026-10-01T00:00:00Z",
          until: "2026-11-20T02:00:00Z",
        },
      ],
    }),
  ],
  snapshots: [snapshot(8, "after", "before", true), snapshot(9, "before", "")],
  lots: [{ id: 44, title: "Move 2 disks", state: "done", at: "2026-11-20T02:00:00Z" }],
};
const page = (
  <Routes>
    <Route path="/machines/:id" element={<MachinePage />} />
  </Routes>
);

describe("a machine", () => {
  const known = {
    ...answers,
    "GET /api/machines/1/": machine,
    "GET /api/labels/machine/1/": { labels: [] },
  };

  it("says of each disk which policy it has, why, how it stands and stood", async () => {
    serve(known);
    renderPage(page, "/machines/1");
    const line = (await screen.findByRole("link", { name: "payroll disk 2" })).closest("tr");
    expect(line).toHaveTextContent("by a label");
    expect(line).toHaveTextContent("media is flash, not spinning drives");
    await user.click(screen.getByText("1 time before"));
    expect(line).toHaveTextContent("in policy of Records until");
    expect(screen.getByRole("link", { name: /Lot 44: Move 2 disks/ })).toBeVisible();
  });

  it("gives one disk a policy of its own", async () => {
    const asked = serve({ ...known, "POST /api/policies/given/": { count: 1 } });
    renderPage(page, "/machines/1");
    await user.click(await screen.findByRole("combobox", { name: "Policy of payroll disk 1 alone" }));
    await user.click(await screen.findByRole("option", { name: "Records" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/policies/given/")?.body).toEqual({
        policy: 7,
        disks: [1],
      });
    });
  });

  it("gives its own files and its snapshots policies apart, and moves files that are out of theirs", async () => {
    const asked = serve({
      ...known,
      "POST /api/policies/given/": { count: 1 },
      "POST /api/lots/": lot(),
      "GET /api/lots/9/": lot(),
    });
    renderPage(page, "/machines/1");
    const parts = await screen.findByRole("region", { name: "Policies of the machine" });
    expect(parts).toHaveTextContent("its pool has flash");
    await user.click(within(parts).getByRole("combobox", { name: "Policy of its snapshots" }));
    await user.click(await screen.findByRole("option", { name: "Records" }));
    await user.click(within(parts).getByRole("button", { name: "Move its files" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/policies/given/")?.body).toEqual({
        policy: 7,
        snapshots_of: [1],
      });
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
        kind: "move_files",
        form: { machines: [1] },
      });
    });
  });

  it("drafts a lot for each act, and deletes nothing whose name was not typed", async () => {
    const asked = serve({
      ...known,
      "GET /api/machines/hosts/": {
        count: 1,
        next: null,
        previous: null,
        results: [
          {
            id: 4,
            name: "quay-02",
            cluster: "quayside",
            machines: 3,
            running: 2,
            processors: 4,
            memory_bytes: GIB,
            provisioned_bytes: GIB,
            datastores: 5,
          },
        ],
      },
      "POST /api/lots/": lot(),
      "GET /api/lots/9/": lot(),
    });
    const drafts = () => asked.filter((each) => each.key === "POST /api/lots/").map((each) => each.body);
    renderPage(page, "/machines/1");
    await user.click(await screen.findByRole("button", { name: "Delete" }));
    const form = screen.getByRole("form", { name: "Type payroll to say that it is meant" });
    await type(within(form).getByRole("textbox"), "payrol");
    expect(within(form).getByRole("button", { name: "Draft lot" })).toBeDisabled();
    await user.click(screen.getByRole("button", { name: "Move to a host" }));
    await user.click(await screen.findByRole("combobox", { name: "Host" }));
    await user.click(await screen.findByRole("option", { name: "quay-02, 2 running" }));
    await waitFor(() => {
      expect(drafts()).toEqual([{ kind: "migrate", form: { machine: 1, host: "quay-02" } }]);
    });
  });

  it("switches many on or off by one lot", async () => {
    const asked = serve({ ...answers, "POST /api/lots/": lot(), "GET /api/lots/9/": lot() });
    renderPage(<MachinesPage />);
    await user.click(await screen.findByRole("checkbox", { name: "Choose all machines shown" }));
    await user.click(screen.getByRole("button", { name: "Switch off" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
        kind: "power",
        form: { machines: [1, 2], to: "off" },
      });
    });
  });

  it("shows its snapshots with the one it goes on from, and what all hold", async () => {
    serve(known);
    renderPage(page, "/machines/1");
    const chain = await screen.findByRole("region", { name: "Snapshots" });
    expect(chain).toHaveTextContent("2 snapshots hold 16.0 GiB beside the disks");
    expect(chain).toHaveTextContent("after, kept on berth-d, the machine goes on from here");
  });
});
