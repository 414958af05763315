import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { auditor, lot, person, summary } from "../tests/data";
import { renderPage, serve, type Answers } from "../tests/server";
import { type, user } from "../tests/user";
import { SetPage } from "./SetPage";

const form: Schemas["SetForm"] = { cluster: "quayside", name: "", pool: null, fixes: [] };
const plan: Schemas["SetPlan"] = {
  cluster: "quayside",
  array: "chalk",
  hosts: ["quay-03"],
  problems: [],
  pools: [],
  pool: "chalk-one",
  pool_id: 5,
  board: {
    portals: [{ name: "A1", controller: "A", address: "10.40.11.11" }],
    hosts: [{ name: "quay-03", seen: 2, expected: 4, reason: "frames of different size", paths: [] }],
    seen: 2,
    expected: 4,
  },
  fixable: [{ host: "quay-03", text: "Set frames of nvme-b to 9000 bytes" }],
  room: { volumes_max: 60, needed: 75, machines: 30, machines_fit: 24, fits: false, sets: 1, sets_max: 4 },
  volumes: [],
};
const draft = (part: Partial<Schemas["SetPlan"]> = {}): Schemas["SetDraft"] => ({
  lot: lot({ summary: summary({ kind: "attach_set" }) }),
  form,
  plan: { ...plan, ...part },
});
const PATH = "/api/attach/set-drafts/9/";
const answers = (more: Answers = {}): Answers => ({
  "GET /api/session/": person,
  "GET /api/balance/groups/": [],
  "GET /api/attach/set-drafts/9/": draft(),
  "PUT /api/attach/set-drafts/9/": (sent: Schemas["SetForm"]) => ({ ...draft(), form: sent }),
  ...more,
});
const open = () => renderPage(<SetPage />, "/attach/set?lot=9");

describe("volume set", () => {
  it("counts volumes against what the machines would take", async () => {
    serve(answers());
    open();
    const room = await screen.findByRole("region", { name: "Volumes" });
    expect(room).toHaveTextContent("The set allows 60 volumes. All 30 machines");
    expect(room).toHaveTextContent("would take 75");
    expect(within(room).getByLabelText("too few")).toBeInTheDocument();
    expect(room).toHaveTextContent("set 2 of 4 that chalk allows");
  });

  it("says that there is room where there is", async () => {
    serve(
      answers({
        "GET /api/attach/set-drafts/9/": draft({
          room: { ...plan.room, needed: 12, fits: true } as Schemas["SetRoom"],
        }),
      }),
    );
    open();
    expect(await screen.findByLabelText("enough")).toBeInTheDocument();
  });

  it("takes the fix of a host that would miss paths into the lot", async () => {
    const asked = serve(answers());
    open();
    expect(await screen.findByText(/Set frames of nvme-b to 9000 bytes/)).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Add the fix first" }));
    await waitFor(() => {
      expect(asked.findLast((each) => each.key === `PUT ${PATH}`)?.body).toEqual({
        ...form,
        fixes: ["quay-03"],
      });
    });
  });

  it("shows what is wrong with the name beside it and keeps what is typed", async () => {
    const problems = [{ field: "name", code: "taken", message: "chalk-vd exists already.", hint: "" }];
    const asked = serve(answers({ "GET /api/attach/set-drafts/9/": draft({ problems }) }));
    open();
    const name = await screen.findByRole("textbox", { name: "Datastore name" });
    await waitFor(() => {
      expect(name).toBeInvalid();
    });
    await type(name, "chalk-vd2");
    await waitFor(() => {
      expect(asked.findLast((each) => each.key === `PUT ${PATH}`)?.body).toMatchObject({ name: "chalk-vd2" });
    });
  });

  it("is read only for the auditor, and says where to begin without a lot", async () => {
    serve(answers({ "GET /api/session/": auditor }));
    const shown = open();
    expect(await screen.findByText("Your role reads only.")).toBeVisible();
    shown.unmount();
    renderPage(<SetPage />, "/attach/set");
    expect(screen.getByText(/with Volume set/)).toBeVisible();
  });
});
