import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { auditor, GIB, lot, person } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { CapacityPage } from "./CapacityPage";
import type { Row } from "./queries";

const TIB = 1024 * GIB;
const row = (id: number, name: string, part: Partial<Row> = {}): Row => ({
  kind: "datastore",
  id,
  name,
  of: "granite-fast",
  capacity_bytes: 8 * TIB,
  used_bytes: 4 * TIB,
  ceiling: 0.82,
  subscribed_bytes: null,
  layers: [
    { layer: "live", size_bytes: 3 * TIB },
    { layer: "promised", size_bytes: TIB },
    { layer: "free", size_bytes: 4 * TIB },
  ],
  difference_bytes: 0,
  growth_bytes: 10 * GIB,
  early: null,
  likely: null,
  late: null,
  told: true,
  right: 9,
  tried: 11,
  steps: [],
  rests_on: "its own days",
  ...part,
});
const known = {
  "GET /api/session/": person,
  "GET /api/capacity/": {
    rows: [row(1, "berth-a", { early: 24, likely: 31, late: 43 }), row(2, "berth-b")],
  },
  "GET /api/capacity/reclaim/": {
    kinds: ["Snapshots that are old or many"],
    rows: [
      {
        kind: "snapshots",
        title: "Snapshots that are old or many",
        what: "5 snapshots of reefer-watch",
        place: "berth-a",
        size_bytes: 60 * GIB,
        certainty: "measured",
        cost: "reefer-watch runs on",
        draft: { kind: "snapshot" as const, form: { machine: 4 }, action: "Merge before" },
        look: "",
      },
    ],
  },
};

describe("capacity", () => {
  it("shows where the bytes are and when room is used up, what runs out first on top", async () => {
    serve(known);
    renderPage(<CapacityPage />, "/?by=datastore");
    const line = await screen.findByRole("button", { name: /berth-a/ });
    expect(line).toHaveTextContent("24 to 43 d, likely 31");
    expect(line).toHaveTextContent("4.00 TiB of 8.00 TiB");
    expect(within(line).getByRole("img", { name: /^live 3.00 TiB, promised 1.00 TiB/ })).toBeVisible();
    expect(screen.getByRole("button", { name: /berth-b/ })).toHaveTextContent("beyond a year");
  });

  it("drafts a lot that grows all that are chosen", async () => {
    const asked = serve({ ...known, "POST /api/lots/": lot(), "GET /api/lots/9/": lot() });
    renderPage(<CapacityPage />, "/?by=datastore");
    await user.click(await screen.findByRole("checkbox", { name: "Choose berth-a" }));
    await user.click(screen.getByRole("checkbox", { name: "Choose berth-b" }));
    const form = screen.getByRole("form", { name: "Size of chosen datastores" });
    expect(form).toHaveTextContent("2 datastores");
    expect(within(form).getByRole("button", { name: "Draft the lot" })).toBeDisabled();
    await user.click(within(form).getByRole("combobox"));
    await user.click(await screen.findByRole("option", { name: "grow to a fill of" }));
    await type(within(form).getByRole("textbox", { name: "How far" }), "75 %");
    await user.click(within(form).getByRole("button", { name: "Draft the lot" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
        kind: "grow",
        form: { datastores: [1, 2], how: "fill", amount: "75 %" },
      });
    });
  });

  it("drafts a lot that shrinks what is chosen", async () => {
    const asked = serve({ ...known, "POST /api/lots/": lot(), "GET /api/lots/9/": lot() });
    renderPage(<CapacityPage />, "/?by=datastore");
    await user.click(await screen.findByRole("checkbox", { name: "Choose berth-b" }));
    const form = screen.getByRole("form", { name: "Size of chosen datastores" });
    await user.click(within(form).getByRole("combobox"));
    await user.click(await screen.findByRole("option", { name: "shrink to a size of" }));
    await type(within(form).getByRole("textbox", { name: "How far" }), "4 TiB");
    await user.click(within(form).getByRole("button", { name: "Draft the lot" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
        kind: "shrink",
        form: { datastores: [2], how: "to", amount: "4 TiB" },
      });
    });
  });

  it("drafts a lot that makes one datastore anew, once its name is typed", async () => {
    const asked = serve({ ...known, "POST /api/lots/": lot(), "GET /api/lots/9/": lot() });
    renderPage(<CapacityPage />, "/?by=datastore");
    await user.click(await screen.findByRole("checkbox", { name: "Choose berth-a" }));
    await user.click(screen.getByRole("checkbox", { name: "Choose berth-b" }));
    const form = screen.getByRole("form", { name: "Size of chosen datastores" });
    await user.click(within(form).getByRole("combobox"));
    await user.click(await screen.findByRole("option", { name: "empty and make anew with" }));
    await type(within(form).getByRole("textbox", { name: "How far" }), "4 TiB");
    expect(form).toHaveTextContent("choose a single datastore");
    expect(within(form).getByRole("button", { name: "Draft the lot" })).toBeDisabled();
    await user.click(screen.getByRole("checkbox", { name: "Choose berth-a" }));
    await type(within(form).getByRole("textbox", { name: /^Type berth-b/ }), "berth-b");
    await user.click(within(form).getByRole("button", { name: "Draft the lot" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
        kind: "remake",
        form: { datastore: 2, size: "4 TiB", confirm: "berth-b" },
      });
    });
  });

  it("wants the name of what nothing brings back before its lot is drafted", async () => {
    const [row] = known["GET /api/capacity/reclaim/"].rows;
    if (!row) throw new Error("there is a row");
    const loose = {
      ...row,
      kind: "loose_disks",
      what: "crane-old disk 1",
      draft: { kind: "delete_disks" as const, form: { disks: [5] }, action: "Delete it, by name" },
      typed: "crane-old disk 1",
    };
    const asked = serve({
      ...known,
      "GET /api/capacity/reclaim/": { kinds: [], rows: [loose] },
      "POST /api/lots/": lot(),
      "GET /api/lots/9/": lot(),
    });
    renderPage(<CapacityPage />, "/?by=datastore");
    await user.click(await screen.findByRole("button", { name: "Delete it, by name" }));
    const act = screen.getByRole("button", { name: "Draft lot" });
    expect(act).toBeDisabled();
    await type(screen.getByRole("textbox", { name: /Type crane-old disk 1/ }), "crane-old disk 1");
    await user.click(act);
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
        kind: "delete_disks",
        form: { disks: [5], confirm: "crane-old disk 1" },
      });
    });
  });

  it("offers the lot that brings something back", async () => {
    const asked = serve({ ...known, "POST /api/lots/": lot(), "GET /api/lots/9/": lot() });
    renderPage(<CapacityPage />, "/?by=datastore");
    const part = await screen.findByRole("region", { name: "What can come back" });
    expect(await within(part).findByText("60.0 GiB in 1 way")).toBeVisible();
    await user.click(within(part).getByRole("button", { name: "Merge before" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toMatchObject({
        kind: "snapshot",
        form: { machine: 4 },
      });
    });
  });

  it("is only looked at by auditors", async () => {
    serve({ ...known, "GET /api/session/": auditor });
    renderPage(<CapacityPage />, "/?by=datastore");
    await screen.findByRole("button", { name: /berth-a/ });
    expect(screen.queryByRole("checkbox")).toBeNull();
  });

  it("says what to do first where nothing is known", async () => {
    serve({ ...known, "GET /api/capacity/": { rows: [] } });
    renderPage(<CapacityPage />);
    expect(await screen.findByText(/There are no pools yet: link an array or a host/)).toBeVisible();
  });
});

describe("what if", () => {
  it("asks what if, for all rows at once, and goes back to what is", async () => {
    const asked = serve({
      ...known,
      "GET /api/capacity/what-if/": {
        rows: [row(1, "berth-a", { early: 10, likely: 12, late: 15 })],
        said: [],
      },
    });
    renderPage(<CapacityPage />, "/?by=datastore");
    await screen.findByRole("button", { name: /berth-a/ });
    const growth = screen.getByRole("spinbutton", { name: "growth, times" });
    await user.clear(growth);
    await type(growth, "2");
    expect(await screen.findByText(/10 to 15 d, likely 12/)).toBeVisible();
    expect(
      decodeURIComponent(asked.findLast((each) => each.key === "GET /api/capacity/what-if/")?.query ?? ""),
    ).toContain('"growth":2');
    await user.click(screen.getByRole("button", { name: "As it is" }));
    expect(await screen.findByText(/24 to 43 d, likely 31/)).toBeVisible();
  });

  it("asks what if something happens somewhere, and keeps that under a name", async () => {
    const then = {
      rows: [row(1, "berth-a", { early: 1, likely: 2, late: 3 })],
      said: ["2.00 TiB more in berth-a"],
    };
    const asked = serve({
      ...known,
      "GET /api/capacity/what-if/": then,
      "POST /api/capacity/what-ifs/": {
        id: 4,
        name: "archive",
        asked: { growth: 1, acts: [] },
        said: [],
        made_by: "",
        made_at: "",
      },
    });
    renderPage(<CapacityPage />, "/?by=datastore");
    await user.click(await screen.findByRole("button", { name: "something happens" }));
    const form = screen.getByRole("form", { name: "Something happens" });
    await type(within(form).getByRole("textbox", { name: "TiB" }), "2");
    await user.click(within(form).getByRole("combobox", { name: "where" }));
    await user.click((await screen.findAllByRole("option", { name: "berth-a" }))[0] as HTMLElement);
    await user.click(within(form).getByRole("button", { name: "Ask" }));
    expect(await screen.findByRole("button", { name: "Without: 2.00 TiB more in berth-a" })).toBeVisible();
    expect(await screen.findByText(/1 to 3 d, likely 2/)).toBeVisible();
    await type(screen.getByRole("textbox", { name: "keep it as" }), "archive");
    await user.click(screen.getByRole("button", { name: "Keep" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/capacity/what-ifs/")?.body).toMatchObject({
        name: "archive",
        growth: 1,
        acts: [{ what: "comes", id: 1, size_bytes: 2 * 2 ** 40, in_days: 0 }],
      });
    });
  });
});
