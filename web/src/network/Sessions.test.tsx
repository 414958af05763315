import { screen, waitFor, within } from "@testing-library/react";
import { expect, it } from "vitest";
import { renderPage, serve } from "../tests/server";
import { user } from "../tests/user";
import { person, lot, summary } from "../tests/data";
import { Sessions } from "./Sessions";

const row = {
  host: "quay-01",
  target: "iqn.2026-01.example.kestrelbay:granite",
  sessions: 8,
  possible: 8,
  on_host: "off",
  on_array: "off",
};
const show = (rows = [row]) =>
  renderPage(<Sessions cluster="quayside" array="granite" rows={rows} />, "/attach/paths");

it("says how many sessions there are, and where both sides ask for different CHAP", async () => {
  serve({ "GET /api/session/": person });
  show([
    row,
    { ...row, host: "quay-02", sessions: 1, on_array: "mutual" },
    { ...row, host: "quay-03", on_host: "one-way", on_array: "one-way" },
  ]);
  const [, first, second, third] = within(
    await screen.findByRole("table", { name: "iSCSI sessions and CHAP" }),
  ).getAllByRole("row");
  expect(first).toHaveTextContent("■ 8 of 8 possible◇ off");
  expect(second).toHaveTextContent("□ 1 of 8 possible▲ array asks mutual, host gives off");
  expect(third).toHaveTextContent("■ one-way");
});

it("drafts the lot that sets both sides", async () => {
  const calls = serve({
    "GET /api/session/": person,
    "POST /api/lots/": lot({ summary: summary({ kind: "chap" }) }),
  });
  show();
  await user.click(await screen.findByLabelText("new secrets where it is set already"));
  await waitFor(() => {
    expect(screen.getByRole("button", { name: "Draft lot" })).toBeEnabled();
  });
  await user.click(screen.getByRole("button", { name: "Draft lot" }));
  await waitFor(() => {
    expect(calls.find((call) => call.key === "POST /api/lots/")?.body).toEqual({
      kind: "chap",
      form: { cluster: "quayside", array: "granite", method: "mutual", renew: true },
    });
  });
});

it("is not there where nothing speaks iSCSI", () => {
  serve({ "GET /api/session/": person });
  show([]);
  expect(screen.queryByRole("table")).toBeNull();
});
