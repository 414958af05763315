import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { lot, person, summary, TIB } from "../tests/data";
import { renderPage, serve, type Answers } from "../tests/server";
import { type } from "../tests/user";
import { UsePage } from "./UsePage";

const form: Schemas["UseForm"] = { volume: 9, name: "", confirm: "", cluster: "" };
const plan: Schemas["UsePlan"] = {
  volume: "slate-09",
  serial: "6000000000000009",
  array: "granite",
  pool: "granite-mixed",
  size_bytes: TIB,
  name: "slate-09",
  carries: "filesystem",
  seen_by: ["quay-01"],
  hosts: ["quay-01", "quay-02"],
  confirmed: false,
  problems: [],
};
const draft = (part: Partial<Schemas["UsePlan"]> = {}): Schemas["UseDraft"] => ({
  lot: lot({ summary: summary({ kind: "use_volume" }) }),
  form,
  plan: { ...plan, ...part },
});
const PATH = "/api/attach/use-drafts/9/";
const answers = (more: Answers = {}): Answers => ({
  "GET /api/session/": person,
  "GET /api/attach/use-drafts/9/": draft(),
  "PUT /api/attach/use-drafts/9/": (sent: Schemas["UseForm"]) => ({ ...draft(), form: sent }),
  ...more,
});
const open = () => renderPage(<UsePage />, "/attach/use?lot=9");

describe("making a datastore of a volume", () => {
  it("says what is on it and asks for the volume's name before it may be wiped", async () => {
    const asked = serve(answers());
    open();
    expect(await screen.findByText("On it: filesystem")).toBeVisible();
    expect(screen.getByText("It carries a filesystem. Wiping cannot be undone.")).toBeVisible();
    await type(screen.getByLabelText("Type slate-09 to allow wiping"), "slate-09");
    await waitFor(() => {
      expect(asked.findLast((each) => each.key === `PUT ${PATH}`)?.body).toEqual({
        ...form,
        confirm: "slate-09",
      });
    });
  });

  it("asks for nothing where nothing is on it, or it is not known yet", async () => {
    serve(answers({ "GET /api/attach/use-drafts/9/": draft({ carries: "" }) }));
    const shown = open();
    expect(await screen.findByText("On it: nothing")).toBeVisible();
    expect(screen.queryByLabelText(/to allow wiping/)).toBeNull();
    shown.unmount();
    serve(answers({ "GET /api/attach/use-drafts/9/": draft({ carries: null, seen_by: [] }) }));
    open();
    expect(await screen.findByText("On it: not known: no host sees it yet")).toBeVisible();
  });

  it("explains a bad name beside the field and keeps what is typed", async () => {
    const problems = [{ field: "name", code: "taken", message: "berth-a exists already.", hint: "" }];
    const asked = serve(answers({ "GET /api/attach/use-drafts/9/": draft({ problems }) }));
    open();
    const name = await screen.findByLabelText("Datastore name");
    await waitFor(() => {
      expect(name).toBeInvalid();
    });
    await type(name, "slate-store");
    await waitFor(() => {
      expect(asked.findLast((each) => each.key === `PUT ${PATH}`)?.body).toMatchObject({
        name: "slate-store",
      });
    });
  });

  it("says when the volume is gone, and where to begin without a lot", async () => {
    serve(answers({ "GET /api/attach/use-drafts/9/": { ...draft(), plan: null } }));
    const shown = open();
    expect(await screen.findByText("This volume is no longer on any array.")).toBeVisible();
    shown.unmount();
    renderPage(<UsePage />, "/attach/use");
    expect(screen.getByText(/press Make a datastore of it/)).toBeVisible();
  });
});
