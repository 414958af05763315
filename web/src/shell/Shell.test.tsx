import { act, screen, waitFor, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { describe, expect, it, vi } from "vitest";
import { job, lot, person, quietRounds, status, step, summary } from "../tests/data";
import { LOST, Refusal, renderPage, serve, type Answers } from "../tests/server";
import { type, user } from "../tests/user";
import { statusQuery } from "./queries";
import { Shell } from "./Shell";

const rounds = {
  ...quietRounds,
  arrays: [{ name: "granite", allocated_bytes: 1024 ** 4, capacity_bytes: 2 * 1024 ** 4 }],
};
const answers = (more: Answers = {}): Answers => ({
  "GET /api/session/": person,
  "GET /api/status/": status({ findings: 3, waiting: { rounds: 3, balance: 2 } }),
  "GET /api/rounds/": rounds,
  ...more,
});

const show = () =>
  renderPage(
    <Routes>
      <Route element={<Shell />}>
        <Route path="*" element={<h1>a page</h1>} />
      </Route>
    </Routes>,
  );
const address = () => screen.getByLabelText("address").textContent;

describe("the frame", () => {
  it("counts what waits on each page", async () => {
    serve(answers());
    show();
    const pages = screen.getByRole("navigation", { name: "Pages" });
    await waitFor(() => {
      expect(within(pages).getByRole("link", { name: /Rounds/ })).toHaveTextContent("3");
    });
    expect(within(pages).getByRole("link", { name: /Balance/ })).toHaveTextContent("2");
    expect(within(pages).getByRole("link", { name: "Lots" })).toBeVisible();
  });

  it("says when a device cannot be read, and the age of the oldest reading", async () => {
    const old = new Date(Date.now() - 600_000).toISOString();
    serve(answers({ "GET /api/status/": status({ devices_away: 1, oldest_reading_at: old }) }));
    show();
    expect(await screen.findByText(/1 away · read 10 min ago/)).toBeVisible();
  });

  it("says what of Move Lot itself is down, on every page", async () => {
    const redis = { part: "redis", text: "Redis does not answer: readings stand still." };
    serve(answers({ "GET /api/status/": status({ troubles: [redis] }) }));
    show();
    expect(await screen.findByText(/Redis does not answer/)).toBeVisible();
  });

  it("says which part is down when the status itself is refused", async () => {
    const title = "Move Lot's database does not answer.";
    serve(answers({ "GET /api/status/": new Refusal(503, { code: "database_away", title }) }));
    show();
    expect(await screen.findByText(/database does not answer.*was read before/)).toBeVisible();
  });

  it("goes to pages by keys", async () => {
    serve(answers());
    show();
    await screen.findByRole("link", { name: /Balance/ });
    for (const [letter, path] of [
      ["a", "/attach"],
      ["b", "/balance"],
      ["l", "/lots"],
      ["d", "/devices"],
      ["r", "/"],
    ] as const) {
      await user.keyboard("g");
      await user.keyboard(letter);
      await waitFor(() => {
        expect(address()).toBe(path);
      });
    }
  });

  it("folds and opens the tray by key, and changes the unit", async () => {
    serve(answers());
    show();
    expect(await screen.findByText("1.00 TiB of 2.00 TiB")).toBeVisible();
    await user.keyboard("u");
    expect(screen.getByText("1.10 TB of 2.20 TB")).toBeVisible();
    await user.keyboard("l");
    expect(screen.getByRole("complementary", { name: "Tray, folded" })).toBeVisible();
    await user.keyboard("l");
    expect(screen.getByRole("complementary", { name: "Tray" })).toBeVisible();
  });

  it("rereads all devices by key and says which did not answer", async () => {
    const ended = job({
      kind: "reread",
      result: { devices: 2, failed: { "quay-01": "quay-01 does not answer." } },
    });
    serve(answers({ "POST /api/devices/reread/": ended }));
    show();
    await user.keyboard("r");
    expect(await screen.findByText("quay-01 does not answer.")).toBeVisible();
  });

  it("finds things by name and opens their trace", async () => {
    const hit = { kind: "disk", id: 7, name: "weighbridge disk 1", size_bytes: 1024 ** 3, note: "" };
    serve(answers({ "GET /api/find/": { hits: [hit] } }));
    show();
    await user.keyboard("/");
    await type(await screen.findByRole("combobox"), "weigh");
    await user.click(await screen.findByRole("option", { name: /weighbridge disk 1/ }));
    await waitFor(() => {
      expect(address()).toBe("/trace/disk/7");
    });
  });

  it("says what is searched when nothing is found", async () => {
    serve(answers({ "GET /api/find/": { hits: [] } }));
    show();
    await user.keyboard("/");
    await type(await screen.findByRole("combobox"), "teapot");
    expect(await screen.findByText(/Nothing is called “teapot”/)).toBeVisible();
  });
});

describe("the tray", () => {
  it("keeps the tray's lot over a reload, until it is put away", async () => {
    localStorage.setItem("movelot.tray", "9");
    serve(answers({ "GET /api/lots/9/": lot({ steps: [step({ title: "Move payroll disk 1" })] }) }));
    show();
    expect(await screen.findByText("Move payroll disk 1")).toBeVisible();
    await user.click(screen.getByRole("button", { name: "put away" }));
    expect(await screen.findByText(/Empty. Draft a lot/)).toBeVisible();
    expect(localStorage.getItem("movelot.tray")).toBeNull();
  });

  it("keeps Halt in reach when a poll of a running lot fails", async () => {
    localStorage.setItem("movelot.tray", "9");
    let fails = false;
    const running = lot({ summary: summary({ state: "running" }) });
    serve(answers({ "GET /api/lots/9/": () => (fails ? LOST : running) }));
    show();
    const halt = await screen.findByRole("button", { name: "Halt" });
    fails = true;
    expect(await screen.findByRole("alert")).toHaveTextContent("does not answer");
    expect(halt).toBeVisible();
    expect(halt).toBeEnabled();
  });

  it("leads from a draft in the tray back to its form", async () => {
    localStorage.setItem("movelot.tray", "9");
    serve(answers({ "GET /api/lots/9/": lot({ summary: summary({ kind: "attach_file" }) }) }));
    show();
    expect(await screen.findByRole("link", { name: "Change it" })).toHaveAttribute(
      "href",
      "/attach/file?lot=9",
    );
  });

  it("leaves a page that went wrong with its frame", async () => {
    const silent = vi.spyOn(console, "error").mockImplementation(() => undefined);
    serve(answers());
    const Broken = (): never => {
      throw new Error("a picture broke");
    };
    renderPage(
      <Routes>
        <Route element={<Shell />}>
          <Route path="*" element={<Broken />} />
        </Route>
      </Routes>,
    );
    expect(await screen.findByRole("alert")).toHaveTextContent("This page went wrong.");
    expect(screen.getByRole("navigation", { name: "Pages" })).toBeVisible();
    silent.mockRestore();
  });

  it("asks anew for what is shown when the server's revision changes, and only then", async () => {
    let revision = "r1";
    const asked = serve(answers({ "GET /api/status/": () => status({ revision }) }));
    const { queries } = show();
    await screen.findByText("1.00 TiB of 2.00 TiB");
    const rounds = () => asked.filter((each) => each.key === "GET /api/rounds/").length;
    await act(() => queries.refetchQueries({ queryKey: statusQuery().queryKey }));
    expect(rounds()).toBe(1);
    revision = "r2";
    await act(() => queries.refetchQueries({ queryKey: statusQuery().queryKey }));
    await waitFor(() => {
      expect(rounds()).toBe(2);
    });
  });

  it("finds a page by other words than its name", async () => {
    serve(answers({ "GET /api/find/": { hits: [] } }));
    show();
    await user.keyboard("/");
    await type(await screen.findByRole("combobox"), "timeouts");
    expect(await screen.findByRole("option", { name: /NFS limits/ })).toBeVisible();
  });

  it("says so when the tray's lot is gone", async () => {
    localStorage.setItem("movelot.tray", "9");
    const gone = { status: 404, code: "not_found", title: "There is no such thing." };
    serve(answers({ "GET /api/lots/9/": new Refusal(404, gone) }));
    show();
    expect(await screen.findByText("Lot 9 is no longer there.")).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Empty the tray" }));
    expect(await screen.findByText(/Empty. Draft a lot/)).toBeVisible();
  });

  it("changes the theme and signs out from the account menu", async () => {
    const asked = serve(answers({ "DELETE /api/session/": null }));
    show();
    await user.click(await screen.findByRole("button", { name: "Account ines.marrow" }));
    await user.click(await screen.findByRole("menuitem", { name: "Dark theme" }));
    expect(localStorage.getItem("movelot.mode")).toBe("dark");
    await user.click(screen.getByRole("button", { name: "Account ines.marrow" }));
    await user.click(await screen.findByRole("menuitem", { name: "Sign out" }));
    await waitFor(() => {
      expect(asked.map((each) => each.key)).toContain("DELETE /api/session/");
    });
  });
});
