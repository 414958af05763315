import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { auditor, lot, person, summary } from "../tests/data";
import { Refusal, renderPage, serve } from "../tests/server";
import { user } from "../tests/user";
import { DevicesPage } from "./DevicesPage";

const OLD = "AA:BB:CC";
const NEW = "DD:EE:FF";
const device = (part: Partial<Schemas["DeviceAnswer"]> = {}): Schemas["DeviceAnswer"] => ({
  id: 1,
  name: "granite",
  kind: "array",
  url: "https://10.40.2.10:443",
  user: "movelot",
  fingerprint: OLD,
  state: "linked",
  detail: "",
  cluster: "",
  read_at: new Date().toISOString(),
  clock_offset_seconds: 0.4,
  clock_off: false,
  capabilities: [
    { name: "protocols", has: true, detail: "iSCSI" },
    { name: "deduplication", has: false, detail: "on no pool" },
  ],
  ...part,
});
const certificate = {
  fingerprint: NEW,
  subject: "CN=granite",
  not_before: "2026-01-01T00:00:00Z",
  not_after: "2028-01-01T00:00:00Z",
};

const type = (label: string, value: string) => {
  fireEvent.change(screen.getByLabelText(label), { target: { value } });
};

describe("device links", () => {
  it("show each device's address, state and pin", async () => {
    const away = device({
      id: 2,
      name: "quay-01",
      kind: "host",
      state: "away",
      detail: "quay-01 is silent.",
    });
    serve({ "GET /api/session/": person, "GET /api/devices/": [device(), away] });
    renderPage(<DevicesPage />);
    const rows = within(await screen.findByRole("table", { name: "Device links" })).getAllByRole("row");
    expect(rows[1]).toHaveTextContent("granite");
    expect(rows[1]).toHaveTextContent(OLD);
    expect(rows[2]).toHaveTextContent("quay-01 is silent.");
  });

  it("say by how much a clock is off, and what the device can do", async () => {
    const off = device({ clock_off: true, clock_offset_seconds: -540 });
    serve({ "GET /api/session/": person, "GET /api/devices/": [off] });
    renderPage(<DevicesPage />);
    expect(await screen.findByText(/clock 9 min behind; set its time source/)).toBeVisible();
    await user.click(screen.getByText("can do 1 of 2"));
    const able = screen.getByRole("list", { name: "What granite can do", hidden: true });
    expect(able).toHaveTextContent("protocols: iSCSI");
    expect(able).toHaveTextContent("deduplication: on no pool");
  });

  it("are made in two acts: the fingerprint is compared before the account is sent", async () => {
    const asked = serve({
      "GET /api/session/": person,
      "GET /api/devices/": [],
      "POST /api/devices/probe/": certificate,
      "POST /api/devices/": device(),
    });
    renderPage(<DevicesPage />);
    await screen.findByRole("heading", { name: "Link a device" });
    type("Address", "https://10.40.2.10");
    type("Account", "movelot");
    type("Password", "a secret");
    await user.click(screen.getByRole("button", { name: "Show its certificate" }));
    expect(await screen.findByText(NEW)).toBeVisible();
    expect(screen.getByText("CN=granite, valid from 1 January 2026 until 1 January 2028")).toBeVisible();
    expect(JSON.stringify(asked)).not.toContain("a secret");
    await user.click(screen.getByRole("button", { name: "I compared it: pin and link" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/devices/")?.body).toMatchObject({
        user: "movelot",
        fingerprint: NEW,
      });
    });
  });

  it("ask for what is missing before anything is sent", async () => {
    const asked = serve({ "GET /api/session/": person, "GET /api/devices/": [] });
    renderPage(<DevicesPage />);
    await user.click(await screen.findByRole("button", { name: "Show its certificate" }));
    expect(await screen.findByText(/Type the device's address/)).toBeVisible();
    expect(screen.getByText("Type the account's password.")).toBeVisible();
    expect(asked.filter((each) => each.key.startsWith("POST"))).toHaveLength(0);
  });

  it("say why nothing was linked", async () => {
    const silent = new Refusal(502, {
      status: 502,
      code: "device_away",
      title: "Nothing answers at https://10.40.2.10.",
      detail: "No device was linked.",
      hint: "Check address, port and the network between.",
    });
    serve({ "GET /api/session/": person, "GET /api/devices/": [], "POST /api/devices/probe/": silent });
    renderPage(<DevicesPage />);
    await screen.findByRole("heading", { name: "Link a device" });
    type("Address", "https://10.40.2.10");
    type("Account", "movelot");
    type("Password", "a secret");
    await user.click(screen.getByRole("button", { name: "Show its certificate" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("No device was linked.");
  });

  it("are pinned again after another certificate was shown and compared", async () => {
    const changed = device({ state: "certificate", detail: "granite shows another certificate." });
    const asked = serve({
      "GET /api/session/": person,
      "GET /api/devices/": [changed],
      "POST /api/devices/probe/": certificate,
      "PUT /api/devices/1/": device({ fingerprint: NEW }),
    });
    renderPage(<DevicesPage />);
    await user.click(await screen.findByRole("button", { name: "Show the new certificate" }));
    expect(await screen.findByText(NEW)).toBeVisible();
    await user.click(screen.getByRole("button", { name: "I compared it: pin" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "PUT /api/devices/1/")?.body).toEqual({ fingerprint: NEW });
    });
  });

  it("get a new password by a lot, one of them or all", async () => {
    const drafted = lot({ summary: summary({ id: 7, kind: "passwords" }) });
    const asked = serve({
      "GET /api/session/": person,
      "GET /api/devices/": [device()],
      "POST /api/lots/": drafted,
      "GET /api/lots/7/": drafted,
    });
    renderPage(<DevicesPage />);
    await user.click(await screen.findByRole("button", { name: "Draft a lot: a new password for granite" }));
    await waitFor(() => {
      expect(screen.getByLabelText("address")).toHaveTextContent("/lots/7");
    });
    await user.click(screen.getByRole("button", { name: "Draft lot: new passwords for all" }));
    await waitFor(() => {
      expect(asked.filter(({ key }) => key === "POST /api/lots/").map(({ body }) => body)).toEqual([
        { kind: "passwords", form: { device: "granite" } },
        { kind: "passwords", form: {} },
      ]);
    });
  });

  it("are taken away once it was said what goes with them, and stay where lots name them", async () => {
    const named = new Refusal(409, {
      status: 409,
      code: "in_history",
      title: "granite is part of lots in the history.",
      detail: "The link stays.",
      hint: "",
    });
    const asked = serve({
      "GET /api/session/": person,
      "GET /api/devices/": [device()],
      "DELETE /api/devices/1/": named,
    });
    renderPage(<DevicesPage />);
    await user.click(await screen.findByRole("button", { name: "Unlink granite" }));
    expect(screen.getByText(/What only granite told of is forgotten here/)).toBeVisible();
    expect(asked.some((each) => each.key.startsWith("DELETE"))).toBe(false);
    await user.click(screen.getByRole("button", { name: "Unlink it" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("The link stays.");
    await user.click(screen.getByRole("button", { name: "Keep" }));
    expect(screen.getByRole("button", { name: "Unlink granite" })).toBeVisible();
  });

  it("are shown to the auditor without a way to change them", async () => {
    const changed = device({ state: "certificate", detail: "granite shows another certificate." });
    serve({ "GET /api/session/": auditor, "GET /api/devices/": [changed] });
    renderPage(<DevicesPage />);
    expect(await screen.findByText("granite shows another certificate.")).toBeVisible();
    const buttons = screen.getAllByRole("button").map((button) => button.textContent);
    const changing = /Unlink|pin|Link|Import|certificate/;
    expect(buttons.filter((text) => changing.test(text) && text !== "Certificate pinned (SHA-256)")).toEqual(
      [],
    );
  });
});
