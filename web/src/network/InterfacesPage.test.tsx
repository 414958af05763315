import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { lot, person, summary } from "../tests/data";
import { renderPage, serve, type Answers } from "../tests/server";
import { type } from "../tests/user";
import { InterfacesPage } from "./InterfacesPage";

const form: Schemas["InterfaceForm"] = { cluster: "quayside", array: "chalk", addresses: {} };
const row: Schemas["InterfaceRow"] = {
  key: "quay-02 10.40.12.0/24",
  host: "quay-02",
  name: "nvme-b",
  subnet: "10.40.12.0/24",
  address: "10.40.12.102",
  vlan: 412,
  frame_bytes: 9000,
  uplink: "uplink-6",
  problem: "",
};
const plan: Schemas["InterfacePlan"] = {
  cluster: "quayside",
  array: "chalk",
  hosts: ["quay-02"],
  rows: [row],
  paths_now: 8,
  paths_after: 10,
  paths: 2,
};
const draft = (part: Partial<Schemas["InterfaceDraft"]> = {}): Schemas["InterfaceDraft"] => ({
  lot: lot({ summary: summary({ kind: "interfaces" }) }),
  form,
  plan,
  ...part,
});
const PATH = "/api/network/interface-drafts/9/";
const answers = (more: Answers = {}): Answers => ({
  "GET /api/session/": person,
  "GET /api/network/interface-drafts/9/": draft(),
  "PUT /api/network/interface-drafts/9/": (sent: Schemas["InterfaceForm"]) => ({ ...draft(), form: sent }),
  ...more,
});
const open = () => renderPage(<InterfacesPage />, "/attach/interfaces?lot=9");

describe("new storage interfaces", () => {
  it("proposes an address for each and says what it brings", async () => {
    serve(answers());
    open();
    expect(await screen.findByLabelText("Address on quay-02")).toHaveValue("10.40.12.102");
    expect(screen.getByText("8 paths to chalk now, 10 after")).toBeVisible();
    expect(screen.getByText("the next free one")).toBeVisible();
  });

  it("takes each address as it is edited", async () => {
    const asked = serve(answers());
    open();
    await type(await screen.findByLabelText("Address on quay-02"), "10.40.12.150");
    await waitFor(() => {
      expect(asked.findLast((each) => each.key === `PUT ${PATH}`)?.body).toEqual({
        ...form,
        addresses: { [row.key]: "10.40.12.150" },
      });
    });
  });

  it("tells what is wrong with an address beside it", async () => {
    const wrong = { ...plan, rows: [{ ...row, problem: "10.40.12.101 is in use." }] };
    serve(answers({ "GET /api/network/interface-drafts/9/": draft({ plan: wrong }) }));
    open();
    expect(await screen.findByText("10.40.12.101 is in use.")).toBeVisible();
    expect(screen.getByLabelText("Address on quay-02")).toBeInvalid();
  });

  it("says so when there is nothing to make, and where to begin without a lot", async () => {
    serve(answers({ "GET /api/network/interface-drafts/9/": draft({ plan: null }) }));
    const shown = open();
    expect(await screen.findByText(/nothing to make/)).toBeVisible();
    shown.unmount();
    renderPage(<InterfacesPage />, "/attach/interfaces");
    expect(screen.getByText(/Begin from a finding/)).toBeVisible();
  });
});
