import { screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { Refusal, renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { LossPage } from "./LossPage";

const machine = (name: string, effect: Schemas["LossEffect"]): Schemas["LostMachine"] => ({
  id: name.length,
  name,
  host: "quay-03",
  os: "Linux 6.1",
  address: "10.40.20.11",
  effect,
  disks: 2,
  datastores: ["berth-a"],
  labels: ["team=harbour"],
});
const loss = (part: Partial<Schemas["LossAnswer"]> = {}): Schemas["LossAnswer"] => ({
  component: { kind: "switch", name: "switch-1" },
  volumes: [
    {
      id: 1,
      name: "berth-a",
      array: "granite",
      pool: "granite-fast",
      datastore_id: 4,
      datastore: "berth-a",
      stops: ["quay-03"],
      thinner: ["quay-01", "quay-02"],
    },
  ],
  machines: [machine("payroll", "stops"), machine("mail-relay", "thinner")],
  machines_stop: 1,
  machines_thinner: 1,
  disks_stop: 2,
  hosts_stop: 1,
  ...part,
});
const show = (at = "/attach/loss?kind=switch&name=switch-1") =>
  renderPage(
    <Routes>
      <Route path="attach/loss" element={<LossPage />} />
    </Routes>,
    at,
  );
const components = [
  { kind: "switch", name: "switch-1" },
  { kind: "controller", name: "granite A" },
];

describe("what if it is taken away", () => {
  it("asks what to take away, and asks the server for nothing else", async () => {
    const asked = serve({ "GET /api/network/components/": components });
    show("/attach/loss");
    expect(await screen.findByText(/Choose what the storage or network team will work on/)).toBeVisible();
    await waitFor(() => {
      expect(asked.map((each) => each.key)).toEqual(["GET /api/network/components/"]);
    });
  });

  it("says first how much stops", async () => {
    serve({ "GET /api/network/components/": components, "GET /api/network/loss/": loss() });
    show();
    expect(await screen.findByText(/^Without/)).toHaveTextContent(
      "Without switch switch-1: ▲ 1 machine with 2 disks stop, ◪ 1 machine left on one leg.",
    );
  });

  it("lists volumes with the hosts that lose them, and machines with their owner's figures", async () => {
    serve({ "GET /api/network/components/": components, "GET /api/network/loss/": loss() });
    show();
    const volumes = await screen.findByRole("table", { name: "Volumes" });
    expect(within(volumes).getAllByRole("row")[1]).toHaveTextContent("quay-03quay-01, quay-02");
    const machines = screen.getByRole("table", { name: "Machines" });
    const [, first, second] = within(machines).getAllByRole("row");
    expect(first).toHaveTextContent("payroll▲ stopsquay-03Linux 6.110.40.20.112berth-ateam=harbour");
    expect(second).toHaveTextContent("◪ one leg left");
    expect(screen.getByRole("link", { name: "CSV" })).toHaveAttribute(
      "href",
      "/api/network/loss/csv/?kind=switch&name=switch-1",
    );
  });

  it("says so when nothing is touched", async () => {
    const none = loss({ volumes: [], machines: [], machines_stop: 0, machines_thinner: 0, disks_stop: 0 });
    serve({ "GET /api/network/components/": components, "GET /api/network/loss/": none });
    show();
    expect(await screen.findByText(/^Without/)).toHaveTextContent(
      "■ no machine stops, and redundancy stays as it is.",
    );
    expect(screen.queryByRole("table")).toBeNull();
  });

  it("cuts long lists and says where the rest is", async () => {
    const hosts = Array.from({ length: 9 }, (_, n) => `quay-0${String(n)}`);
    const long = loss({
      volumes: loss().volumes.map((row) => ({ ...row, thinner: hosts })),
      machines_stop: 700,
    });
    serve({ "GET /api/network/components/": components, "GET /api/network/loss/": long });
    show();
    expect(await screen.findByText("The first 2 of 701 are shown; the CSV above has all.")).toBeVisible();
    expect(screen.getByText(/quay-05 and 3 more/)).toBeVisible();
  });

  it("takes another component from the list and keeps it in the address", async () => {
    serve({ "GET /api/network/components/": components, "GET /api/network/loss/": loss() });
    show("/attach/loss");
    const field = await screen.findByRole("combobox", { name: "Component" });
    await type(field, "granite");
    await user.click(await screen.findByRole("option", { name: "controller granite A" }));
    await waitFor(() => {
      expect(screen.getByLabelText("address")).toHaveTextContent(
        "/attach/loss?kind=controller&name=granite+A",
      );
    });
  });

  it("says when the component is not there", async () => {
    const gone = new Refusal(404, {
      code: "component_unknown",
      title: "There is no switch named “x”.",
      detail: "",
      hint: "Choose one of the list.",
    });
    serve({ "GET /api/network/components/": components, "GET /api/network/loss/": gone });
    show("/attach/loss?kind=switch&name=x");
    expect(await screen.findByRole("alert")).toHaveTextContent("Choose one of the list.");
  });
});
