import { screen, waitFor, within } from "@testing-library/react";
import { expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { lot, person, summary } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { user } from "../tests/user";
import { Interfaces } from "./Interfaces";

const row: Schemas["StorageInterface"] = {
  host: "quay-03",
  name: "storage-b",
  protocol: "iSCSI",
  address: "10.40.9.103/24",
  vlan: 409,
  frame_bytes: 9000,
  active: ["uplink-2"],
  standby: ["uplink-1"],
  unused: [],
  reason: "storage-b has a standby uplink",
  fix: { kind: "uplinks", form: { host: "quay-03" }, action: "Bind one uplink" },
};
const show = (rows = [row], moreHosts = 0) =>
  renderPage(
    <Interfaces cluster="quayside" array="granite" rows={rows} moreHosts={moreHosts} />,
    "/attach/paths",
  );

it("lists each interface with its uplinks and what keeps it from the array", async () => {
  serve({ "GET /api/session/": person });
  show(
    [
      row,
      { ...row, host: "quay-01", standby: [], unused: ["uplink-1"], reason: "", fix: null },
      {
        ...row,
        host: "quay-02",
        address: "",
        vlan: null,
        frame_bytes: null,
        active: [],
        reason: "it has none",
      },
    ],
    4,
  );
  const table = await screen.findByRole("table", { name: /Storage interfaces/ });
  const [, first, second, third] = within(table).getAllByRole("row");
  expect(first).toHaveTextContent(
    /^quay-03storage-b▲ storage-b has a standby uplinkBind one uplink10.40.9.103/,
  );
  expect(second).toHaveTextContent("■ in order10.40.9.103/244099000uplink-2 –uplink-1");
  expect(third).toHaveTextContent("Bind one uplinknone–––uplink-1 –");
  expect(screen.getByText(/of 4 more hosts/)).toBeVisible();
});

it("drafts the lot that settles it, for who may change", async () => {
  const calls = serve({
    "GET /api/session/": person,
    "POST /api/lots/": lot({ summary: summary({ kind: "uplinks" }) }),
  });
  show();
  const button = await screen.findByRole("button", { name: "Bind one uplink: storage-b on quay-03" });
  await waitFor(() => {
    expect(button).toBeEnabled();
  });
  await user.click(button);
  await waitFor(() => {
    expect(calls.find((call) => call.key === "POST /api/lots/")?.body).toEqual({
      kind: "uplinks",
      form: { host: "quay-03" },
    });
  });
});

it("is not there where the array is reached over FC alone", () => {
  serve({ "GET /api/session/": person });
  show([]);
  expect(screen.queryByRole("table")).toBeNull();
});
