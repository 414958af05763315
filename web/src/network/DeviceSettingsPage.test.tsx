import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { auditor, lot, person, summary } from "../tests/data";
import { later, renderPage, serve, type Answers } from "../tests/server";
import { type, user } from "../tests/user";
import { DeviceSettingsPage } from "./DeviceSettingsPage";

const row = (
  id: number,
  host: string,
  policy: string,
  odd: string[] = [],
  depth = 40,
): Schemas["DeviceRow"] => ({
  id,
  host,
  volume: "berth-a",
  array: "granite",
  datastore: "berth-a",
  path_policy: policy,
  queue_depth: depth,
  turn_ios: 48,
  paths: 8,
  odd,
});
const found: Schemas["DeviceSettingsAnswer"] = {
  rows: [
    row(1, "quay-01", "RoundRobin"),
    row(2, "quay-02", "RoundRobin", [], 24),
    row(3, "quay-03", "OnePath", ["path_policy"]),
  ],
  total: 3,
  settings: [
    {
      name: "path_policy",
      label: "path policy",
      text: "how I/O is spread over the paths",
      choices: [
        { name: "RoundRobin", label: "round robin", text: "all active paths in turn" },
        { name: "OnePath", label: "one path", text: "one path until it fails" },
      ],
      unit: "",
      least: 0,
      most: 0,
    },
    {
      name: "queue_depth",
      label: "queue depth",
      text: "I/Os a host keeps outstanding to the device",
      choices: [],
      unit: "I/Os",
      least: 1,
      most: 256,
    },
  ],
  clusters: ["quayside"],
  arrays: ["granite"],
};
const answers = (more: Answers = {}): Answers => ({
  "GET /api/session/": person,
  "GET /api/network/device-settings/": found,
  ...more,
});
const choose = async (label: string, option: RegExp) => {
  await user.click(await screen.findByRole("combobox", { name: label }));
  await user.click(await screen.findByRole("option", { name: option }));
};

describe("device settings", () => {
  it("mark the host that differs from the others", async () => {
    serve(answers());
    renderPage(<DeviceSettingsPage />);
    expect(await screen.findByText("▲ differs")).toBeVisible();
    expect(screen.getByText("3 devices")).toBeVisible();
  });

  it("show row by row what would change, and draft that as one lot", async () => {
    const asked = serve(
      answers({ "POST /api/lots/": lot({ summary: summary({ id: 7, kind: "device_settings" }) }) }),
    );
    renderPage(<DeviceSettingsPage />);
    await screen.findByText("▲ differs");
    expect(screen.getByRole("button", { name: "Draft lot" })).toBeDisabled();
    await choose("Set to", /^round robin/);
    expect(await screen.findByText("3 devices, 1 would change")).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Draft lot" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
        kind: "device_settings",
        form: { filter: { cluster: "", array: "", text: "" }, setting: "path_policy", value: "RoundRobin" },
      });
    });
    await waitFor(() => {
      expect(screen.getByLabelText("address")).toHaveTextContent("/lots/7");
    });
  });

  it("draft nothing while the rows of another filter than the one typed are shown", async () => {
    const late = later<typeof found>();
    serve(
      answers({
        "GET /api/network/device-settings/": (_body: unknown, query: URLSearchParams) =>
          query.get("text") ? late.promise : found,
        "POST /api/lots/": lot(),
      }),
    );
    renderPage(<DeviceSettingsPage />);
    await choose("Set to", /^round robin/);
    const button = screen.getByRole("button", { name: "Draft lot" });
    expect(button).toBeEnabled();
    await type(screen.getByLabelText("Datastore or volume"), "berth");
    await waitFor(() => {
      expect(button).toBeDisabled();
    });
    late.come(found);
    await waitFor(() => {
      expect(button).toBeEnabled();
    });
  });

  it("draft for what the filter takes", async () => {
    const asked = serve(answers({ "POST /api/lots/": lot() }));
    renderPage(<DeviceSettingsPage />);
    await choose("Cluster", /quayside/);
    await type(screen.getByLabelText("Datastore or volume"), "berth");
    await choose("Set to", /^one path/);
    const button = screen.getByRole("button", { name: "Draft lot" });
    await waitFor(() => {
      expect(button).toBeEnabled();
    });
    await user.click(button);
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toMatchObject({
        form: { filter: { cluster: "quayside", text: "berth" }, setting: "path_policy", value: "OnePath" },
      });
    });
  });

  it("take a number within its range, and say what is expected otherwise", async () => {
    const asked = serve(answers({ "POST /api/lots/": lot() }));
    renderPage(<DeviceSettingsPage />);
    await choose("Setting", /queue depth/);
    const field = await screen.findByLabelText("Set to, I/Os");
    await type(field, "400");
    expect(screen.getByText("Give a whole number from 1 to 256 I/Os.")).toBeVisible();
    expect(screen.getByRole("button", { name: "Draft lot" })).toBeDisabled();
    await type(field, "24");
    expect(await screen.findByText("3 devices, 2 would change")).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Draft lot" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toMatchObject({
        form: { setting: "queue_depth", value: "24" },
      });
    });
  });

  it("are only looked at by the auditor", async () => {
    serve(answers({ "GET /api/session/": auditor }));
    renderPage(<DeviceSettingsPage />);
    await screen.findByText("▲ differs");
    await choose("Set to", /^round robin/);
    expect(await screen.findByText("3 devices, 1 would change")).toBeVisible();
    expect(screen.getByRole("button", { name: "Draft lot" })).toBeDisabled();
  });

  it("say when not all rows are listed", async () => {
    serve(answers({ "GET /api/network/device-settings/": { ...found, total: 900 } }));
    renderPage(<DeviceSettingsPage />);
    expect(await screen.findByText(/The first 3 of 900 are listed/)).toBeVisible();
  });
});
