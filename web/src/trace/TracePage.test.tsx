import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { expect, it } from "vitest";
import { auditor, lot, person, summary, TIB } from "../tests/data";
import { type Answers, NOT_THERE, renderPage, serve } from "../tests/server";
import { user } from "../tests/user";
import { TracePage } from "./TracePage";

const link = (kind: string, id: number, name: string, size: number | null = null, note = "") => ({
  kind,
  id,
  name,
  size_bytes: size,
  note,
});
const trace = {
  kind: "datastore",
  id: 3,
  name: "berth-a",
  figures: [
    { label: "capacity", unit: "bytes", value: 7 * TIB, text: "" },
    { label: "fill", unit: "share", value: 0.949, text: "" },
    { label: "identity", unit: "text", value: null, text: "ds-0001-kestrel" },
    { label: "idle latency of the curve", unit: "ms", value: 1.24, text: "" },
  ],
  layers: [
    { kind: "disk", links: [link("disk", 5, "payroll disk 1", TIB)], more: 12 },
    { kind: "datastore", links: [link("datastore", 3, "berth-a", 7 * TIB, "95 % full")], more: 0 },
    { kind: "array", links: [link("array", 1, "granite")], more: 0 },
  ],
  volume: null,
  edges: [{ kind: "disk", id: 5, to_kind: "datastore", to_id: 3 }],
  ways: [
    {
      host: "quay-01",
      host_id: 4,
      volume: "berth-a",
      initiator: "iqn.example:quay-01",
      device: "naa.6002",
      number_word: "LUN number",
      number: 11,
      path_policy: "RoundRobin",
      paths: [
        ["storage-a", "A1", "Optimized"],
        ["storage-a", "B1", "NonOptimized"],
        ["storage-b", "A2", "Optimized"],
      ],
    },
  ],
};

const show = () =>
  renderPage(
    <Routes>
      <Route path="trace/:kind/:id" element={<TracePage />} />
    </Routes>,
    "/trace/datastore/3",
  );

const answers = (more: Answers): Answers => ({
  "GET /api/session/": person,
  "GET /api/labels/datastore/3/": { labels: [] },
  ...more,
});

it("shows a thing's figures in their units and its neighbours as links", async () => {
  serve(answers({ "GET /api/trace/datastore/3/": trace }));
  show();
  expect(await screen.findByRole("heading", { name: "berth-a" })).toBeVisible();
  for (const text of ["7.00 TiB (7.70 TB)", "95 %", "ds-0001-kestrel", "1.2 ms"]) {
    expect(screen.getAllByText(text)[0]).toBeVisible();
  }
  await user.click(screen.getByRole("button", { name: "As a table" }));
  const disks = screen.getByRole("region", { name: "Disks" });
  expect(within(disks).getByRole("link", { name: "payroll disk 1" })).toHaveAttribute(
    "href",
    "/trace/disk/5",
  );
  expect(disks).toHaveTextContent("and 12 more");
  expect(disks).toHaveTextContent("Disks 13");
});

it("draws the chain, with links by name, and lights the one pointed at", async () => {
  serve(answers({ "GET /api/trace/datastore/3/": trace }));
  show();
  const drawing = await screen.findByRole("group", { name: "Trace, drawn from machine to array" });
  const disk = within(drawing).getByRole("link", { name: "disk payroll disk 1" });
  expect(disk).toHaveAttribute("href", "/trace/disk/5");
  expect(drawing).toHaveTextContent("12 more");
  const line = drawing.querySelector("path");
  expect(line).toHaveAttribute("stroke", "var(--mute)");
  fireEvent.focus(disk);
  expect(line).toHaveAttribute("stroke", "var(--tide)");
  fireEvent.blur(disk);
  expect(line).toHaveAttribute("stroke", "var(--mute)");
});

it("tells how each host sees it, in the host's own words", async () => {
  serve(answers({ "GET /api/trace/datastore/3/": trace }));
  show();
  const ways = await screen.findByRole("region", { name: "Ways of the hosts" });
  const row = within(ways).getByRole("row", { name: /quay-01/ });
  for (const text of ["naa.6002", "LUN number 11", "iqn.example:quay-01"])
    expect(row).toHaveTextContent(text);
  expect(row).toHaveTextContent("3 storage-a: A1 optimized, B1 non-optimized; storage-b: A2 optimized");
});

it("says when a thing is no longer there", async () => {
  serve(answers({ "GET /api/trace/datastore/3/": NOT_THERE }));
  show();
  expect(await screen.findByRole("alert")).toHaveTextContent("Not there.");
});

it("leads to what can be done with it: shown to all, taken away, or lost in thought", async () => {
  const volume = { kind: "volume", links: [link("volume", 8, "berth-a")], more: 0 };
  const asked = serve(
    answers({
      "GET /api/trace/datastore/3/": {
        ...trace,
        layers: [...trace.layers, volume],
        volume: { id: 8, name: "berth-a", kind: "block" },
      },
      "POST /api/lots/": lot({ summary: summary({ id: 4, kind: "spread" }) }),
    }),
  );
  show();
  expect(await screen.findByRole("link", { name: "What if it is taken away" })).toHaveAttribute(
    "href",
    "/attach/loss?kind=volume&name=granite+berth-a",
  );
  expect(await screen.findByRole("button", { name: "Take away" })).toBeEnabled();
  await user.click(screen.getByRole("button", { name: "Let all hosts see it" }));
  await waitFor(() => {
    expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
      kind: "spread",
      form: { volume: 8 },
    });
  });
});

it("offers the auditor no change", async () => {
  const volume = { kind: "volume", links: [link("volume", 8, "berth-a")], more: 0 };
  serve(
    answers({
      "GET /api/session/": auditor,
      "GET /api/trace/datastore/3/": {
        ...trace,
        layers: [...trace.layers, volume],
        volume: { id: 8, name: "berth-a", kind: "block" },
      },
    }),
  );
  show();
  expect(await screen.findByRole("link", { name: "What if it is taken away" })).toBeVisible();
  const buttons = screen.getAllByRole("button").map((button) => button.textContent);
  expect(buttons.filter((text) => /Take|Make|Let all/.test(text))).toEqual([]);
});

it("offers a datastore of a bare volume, and nothing for one that lives in a set", async () => {
  const bare = { id: 8, name: "slate-09", kind: "block" };
  const layers = trace.layers.filter((layer) => layer.kind === "array");
  const page = { ...trace, layers, volume: bare };
  serve(answers({ "GET /api/trace/datastore/3/": page }));
  const shown = show();
  expect(await screen.findByRole("button", { name: "Make a datastore of it" })).toBeEnabled();
  shown.unmount();
  serve(
    answers({
      "GET /api/trace/datastore/3/": { ...page, volume: { ...bare, kind: "member" } },
    }),
  );
  show();
  expect(await screen.findByRole("heading", { name: "berth-a" })).toBeVisible();
  expect(screen.queryByRole("button", { name: "Take away" })).toBeNull();
  expect(screen.queryByRole("button", { name: "Make a datastore of it" })).toBeNull();
});
