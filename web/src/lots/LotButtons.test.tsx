import { screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { describe, expect, it } from "vitest";
import { useTray } from "../shell/trayState";
import { auditor, job, lot, person, step, summary } from "../tests/data";
import { later, Refusal, renderPage, serve } from "../tests/server";
import { user } from "../tests/user";
import { LotButtons } from "./LotButtons";
import type { LotDetail } from "./queries";

/** Buttons that go when their place folds, as the tray does on the lot's own page. */
function Folding({ lot }: { lot: LotDetail }) {
  const [folded, setFolded] = useState(false);
  const { lot: held } = useTray();
  return (
    <>
      {folded ? <p>in the tray: {held}</p> : <LotButtons lot={lot} />}
      <button
        onClick={() => {
          setFolded(true);
        }}
      >
        Fold
      </button>
    </>
  );
}

const names = () => screen.getAllByRole("button").map((button) => button.textContent);

describe("what can be done with a lot", () => {
  it.each([
    ["draft", ["Run lot", "Check", "Drop"]],
    ["running", ["Halt"]],
    ["halted", ["Continue"]],
    ["failed", ["Continue"]],
  ] as const)("is offered by its state: %s", async (state, offered) => {
    serve({ "GET /api/session/": person });
    renderPage(<LotButtons lot={lot({ summary: summary({ state }) })} />);
    await screen.findAllByRole("button");
    expect(names()).toEqual(offered);
  });

  it("say which devices have not told what they did", async () => {
    serve({ "GET /api/session/": person });
    const steps = ["quay-01", "quay-02", "quay-03", "quay-04", "quay-05"].map((device, n) =>
      step({ id: n, position: n, device, state: "unknown" }),
    );
    renderPage(<LotButtons lot={lot({ steps, can_undo: true, summary: summary({ state: "failed" }) })} />);
    const note = await screen.findByText(/not known what 5 steps did/);
    expect(note).toHaveTextContent("on quay-01, quay-02, quay-03 and 2 more devices. Each device is asked");
    expect(names()).toEqual(["Continue", "Undo"]);
  });

  it("say how far devices are from what the lot believed before a restore", async () => {
    serve({ "GET /api/session/": person });
    const restored = (believed: string) =>
      lot({ steps: [step({ state: "done", believed })], summary: summary({ state: "halted" }) });
    const shown = renderPage(<LotButtons lot={restored("waiting")} />);
    expect(await screen.findByText(/On the devices 1 step is otherwise/)).toBeVisible();
    shown.unmount();
    renderPage(<LotButtons lot={restored("done")} />);
    expect(await screen.findByText(/Its devices say what it believed/)).toBeVisible();
  });

  it("ends as a run sheet where people carry it out", async () => {
    const asked = serve({
      "GET /api/session/": person,
      "POST /api/lots/9/run/": job(),
      "GET /api/lots/9/": lot(),
    });
    renderPage(<LotButtons lot={lot({ by_hand: true })} />);
    await user.click(await screen.findByRole("button", { name: "Make run sheet" }));
    expect(screen.getByText("people carry it out by its run sheet")).toBeVisible();
    await waitFor(() => {
      expect(asked.map((each) => each.key)).toContain("POST /api/lots/9/run/");
    });
  });

  it("takes people's word for a run sheet, and gives it in each form", async () => {
    const asked = serve({ "GET /api/session/": person, "POST /api/lots/9/carried_out/": lot() });
    renderPage(<LotButtons lot={lot({ by_hand: true, summary: summary({ state: "sheet" }) })} />);
    await user.click(await screen.findByRole("button", { name: "Carried out" }));
    await waitFor(() => {
      expect(asked.map((each) => each.key)).toContain("POST /api/lots/9/carried_out/");
    });
    const forms = screen.getAllByRole("link").map((link) => link.getAttribute("href"));
    expect(forms).toEqual(["html", "md", "csv"].map((form) => `/api/lots/9/sheet/?written_as=${form}`));
  });

  it("offers undo where there is something to take back", async () => {
    serve({ "GET /api/session/": person });
    renderPage(<LotButtons lot={lot({ summary: summary({ state: "done" }), can_undo: true })} />);
    await screen.findAllByRole("button");
    expect(names()).toEqual(["Undo"]);
  });

  it("says how long it takes and that it can be undone, before it runs", async () => {
    serve({ "GET /api/session/": person });
    renderPage(<LotButtons lot={lot()} />);
    expect(await screen.findByText("about 4 min, can be undone")).toBeVisible();
  });

  it("says before it runs when a step of it cannot be taken back", async () => {
    serve({ "GET /api/session/": person });
    renderPage(<LotButtons lot={lot({ reversible: false })} />);
    expect(await screen.findByText("about 4 min, cannot be undone")).toBeVisible();
  });

  it("says how long it still takes while it runs", async () => {
    serve({ "GET /api/session/": person });
    renderPage(<LotButtons lot={lot({ summary: summary({ state: "running" }), seconds_left: 65 })} />);
    expect(await screen.findByText(/left$/)).toHaveTextContent("65 s left");
  });

  it("runs nothing while a check stops it", async () => {
    serve({ "GET /api/session/": person });
    renderPage(<LotButtons lot={lot({ can_run: false })} />);
    expect(await screen.findByRole("button", { name: "Run lot" })).toBeDisabled();
  });

  it("shows why a run was refused, and what to do", async () => {
    const stale = {
      type: "/problems/stale",
      status: 409,
      code: "stale",
      title: "The devices changed since this lot was checked.",
      detail: "fill of berth-a was 94.9%, is 97.0%.",
      hint: "Look at the plan as it is now, then run it.",
    };
    serve({ "GET /api/session/": person, "POST /api/lots/9/run/": job({ state: "failed", problem: stale }) });
    renderPage(<LotButtons lot={lot()} />);
    await user.click(await screen.findByRole("button", { name: "Run lot" }));
    const alert = await screen.findByRole("alert");
    expect(alert).toHaveTextContent("The devices changed since this lot was checked.");
    expect(alert).toHaveTextContent("is 97.0%");
    expect(alert).toHaveTextContent("then run it");
  });

  it("runs and drops what was seen, and says who was faster", async () => {
    const changed = new Refusal(412, {
      status: 412,
      code: "changed_since",
      title: "Lot 9 was changed since you looked, by tobias.wren.",
      detail: "size was 1 TiB, is 2 TiB.",
      hint: "Look at it as it is now, then do it again. Nothing was done.",
    });
    const asked = serve({
      "GET /api/session/": person,
      "POST /api/lots/9/run/": changed,
      "DELETE /api/lots/9/": changed,
    });
    renderPage(<LotButtons lot={lot({ version: "5eed" })} />);
    for (const name of ["Run lot", "Drop"]) {
      await user.click(await screen.findByRole("button", { name }));
      const alert = await screen.findByRole("alert");
      expect(alert).toHaveTextContent("by tobias.wren");
      expect(alert).toHaveTextContent("size was 1 TiB, is 2 TiB");
    }
    const acting = asked.filter((each) => !each.key.startsWith("GET"));
    expect(acting.map((each) => each.ifMatch)).toEqual(['"5eed"', '"5eed"']);
  });

  it("checks by key, once the lot is a draft", async () => {
    const asked = serve({
      "GET /api/session/": person,
      "POST /api/lots/9/check/": job(),
      "GET /api/lots/9/": lot(),
    });
    renderPage(<LotButtons lot={lot()} />);
    await screen.findByRole("button", { name: "Check" });
    await user.keyboard("c");
    await waitFor(() => {
      expect(asked.map((each) => each.key)).toContain("POST /api/lots/9/check/");
    });
  });

  it("offers nothing to who only reads", async () => {
    serve({ "GET /api/session/": auditor });
    renderPage(<LotButtons lot={lot()} />);
    expect(await screen.findByText("Your role reads only.")).toBeVisible();
    expect(screen.queryByRole("button")).toBeNull();
  });
});

describe("an undo", () => {
  it("comes to the tray though the button that asked for it is gone by then", async () => {
    const drafted = later<LotDetail>();
    const asked = serve({ "GET /api/session/": person, "POST /api/lots/9/undo/": () => drafted.promise });
    renderPage(<Folding lot={lot({ summary: summary({ state: "done" }), can_undo: true })} />);
    await user.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() => {
      expect(asked.map((each) => each.key)).toContain("POST /api/lots/9/undo/");
    });
    await user.click(screen.getByRole("button", { name: "Fold" }));
    drafted.come(lot({ summary: summary({ id: 12 }) }));
    expect(await screen.findByText("in the tray: 12")).toBeVisible();
  });
});
