import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../../api/problem";
import { person, TIB } from "../../tests/data";
import { Refusal, renderPage, serve, type Answers } from "../../tests/server";
import { type, user } from "../../tests/user";
import { Grants } from "./Grants";

const grant = (part: Partial<Schemas["GrantRow"]> = {}): Schemas["GrantRow"] => ({
  pool: 1,
  name: "granite-fast",
  array: "granite",
  capacity_bytes: 20 * TIB,
  granted: true,
  quota_bytes: 16 * TIB,
  promised_bytes: 13 * TIB,
  granted_by: "tobias.wren",
  granted_at: "2026-11-24T10:00:00Z",
  ...part,
});
const storage: Schemas["Session"] = { ...person, name: "tobias.wren", role: "storage" };
const rows = [
  grant(),
  grant({ pool: 2, name: "granite-mixed", quota_bytes: null }),
  grant({ pool: 3, name: "granite-old", granted: false, quota_bytes: null, granted_by: "" }),
];
const answers = (more: Answers = {}): Answers => ({
  "GET /api/session/": storage,
  "GET /api/attach/grants/": rows,
  ...more,
});

describe("grants", () => {
  it("say what may be used and how much of it is promised", async () => {
    serve(answers({ "GET /api/session/": person }));
    renderPage(<Grants />);
    const [, fast, mixed, old] = within(await screen.findByRole("table", { name: "Grants" })).getAllByRole(
      "row",
    );
    expect(fast).toHaveTextContent("16.0 TiB of 20.0 TiB13.0 TiB");
    expect(mixed).toHaveTextContent("whole pool, 20.0 TiB");
    expect(old).toHaveTextContent("not granted");
    expect(screen.queryByRole("button", { name: /the grant of/ })).toBeNull();
    expect(screen.getByText(/The storage team changes these/)).toBeVisible();
  });

  it("say where more was granted than the pool has", async () => {
    serve(answers({ "GET /api/attach/grants/": [grant({ quota_bytes: 26 * TIB })] }));
    renderPage(<Grants />);
    const [, fast] = within(await screen.findByRole("table", { name: "Grants" })).getAllByRole("row");
    expect(fast).toHaveTextContent("26.0 TiB of 20.0 TiB, more than it has");
    expect(within(fast ?? document.body).getByRole("img", { name: "more than it has" })).toBeVisible();
  });

  it("are changed by the storage team, in words as people type sizes", async () => {
    const asked = serve(answers({ "PUT /api/attach/grants/1/": grant({ quota_bytes: 18 * TIB }) }));
    renderPage(<Grants />);
    await user.click(await screen.findByRole("button", { name: "Change the grant of granite-fast" }));
    const field = screen.getByLabelText("Quota of granite-fast");
    expect(field).toHaveValue("16.0 TiB");
    await type(field, "18 TiB");
    await user.click(screen.getByRole("button", { name: "Grant" }));
    await waitFor(() => {
      expect(asked.findLast((each) => each.key.startsWith("PUT"))?.body).toEqual({ quota: "18 TiB" });
    });
    await waitFor(() => {
      expect(screen.queryByLabelText("Quota of granite-fast")).toBeNull();
    });
  });

  it("stay as they were when a quota cannot be, with the reason", async () => {
    const below = new Refusal(409, {
      code: "quota_below_promised",
      title: "13.0 TiB of granite-fast are promised already; 1.00 TiB is less.",
      detail: "The grant stays as it was.",
      hint: "Type more.",
    });
    serve(answers({ "PUT /api/attach/grants/1/": below }));
    renderPage(<Grants />);
    await user.click(await screen.findByRole("button", { name: "Change the grant of granite-fast" }));
    await type(screen.getByLabelText("Quota of granite-fast"), "1 TiB");
    await user.click(screen.getByRole("button", { name: "Grant" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("promised already");
    expect(screen.getByLabelText("Quota of granite-fast")).toHaveValue("1 TiB");
  });

  it("are withdrawn by the storage team", async () => {
    const asked = serve(answers({ "DELETE /api/attach/grants/1/": null }));
    renderPage(<Grants />);
    await user.click(await screen.findByRole("button", { name: "Withdraw the grant of granite-fast" }));
    await waitFor(() => {
      expect(asked.map((each) => each.key)).toContain("DELETE /api/attach/grants/1/");
    });
  });

  it("take no room where no pool is known", async () => {
    const asked = serve(answers({ "GET /api/attach/grants/": [] }));
    renderPage(<Grants />);
    await waitFor(() => {
      expect(asked.map((each) => each.key)).toContain("GET /api/attach/grants/");
    });
    expect(screen.queryByRole("table")).toBeNull();
  });
});
