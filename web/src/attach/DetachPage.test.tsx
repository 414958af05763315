import { screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { auditor, lot, person, summary, TIB } from "../tests/data";
import { renderPage, serve, type Answers } from "../tests/server";
import { type, user } from "../tests/user";
import { DetachPage } from "./DetachPage";

const plan = (part: Partial<Schemas["DetachPlan"]> = {}): Schemas["DetachPlan"] => ({
  volume: "slate-09",
  serial: "6000000000000009",
  kind: "block",
  array: "granite",
  pool: "granite-mixed",
  pool_id: 3,
  size_bytes: TIB,
  allocated_bytes: TIB,
  datastore: "",
  hosts: [],
  users: [],
  keep: false,
  confirmed: false,
  ...part,
});
const draft = (
  part: Partial<Schemas["DetachPlan"]> = {},
  state: Schemas["LotState"] = "draft",
  confirm = "",
) => ({
  lot: lot({ summary: summary({ kind: "detach", state }) }),
  form: { volume: 9, keep: part.keep ?? false, confirm },
  plan: plan(part),
});
const show = (at = "/attach/detach?lot=9") =>
  renderPage(
    <Routes>
      <Route path="attach/detach" element={<DetachPage />} />
    </Routes>,
    at,
  );
const answers = (more: Answers = {}): Answers => ({
  "GET /api/session/": person,
  "GET /api/attach/detach/9/": draft(),
  ...more,
});
const puts = (asked: { key: string; body: unknown }[]) =>
  asked.filter((each) => each.key.startsWith("PUT")).map((each) => each.body);

describe("taking a volume away", () => {
  it("says that nothing uses it and what it gives back", async () => {
    serve(answers());
    show();
    expect(await screen.findByRole("heading", { name: "Take slate-09 away" })).toBeVisible();
    expect(screen.getByRole("region", { name: "What uses it" })).toHaveTextContent("Nothing uses it");
    expect(screen.getAllByText("1.00 TiB")).toHaveLength(2);
  });

  it("names all that uses it, so that nobody is surprised", async () => {
    const users = ["payroll disk 1 on quay-01", "image installer images"];
    serve(answers({ "GET /api/attach/detach/9/": draft({ users, datastore: "berth-a" }) }));
    show();
    const region = await screen.findByRole("region", { name: "What uses it" });
    expect(region).toHaveTextContent("In use by 2; move or remove these first");
    expect(region).toHaveTextContent("payroll disk 1 on quay-01");
  });

  it("sends the name as it is typed, and says once it agrees", async () => {
    const asked = serve(
      answers({
        "PUT /api/attach/detach/9/": (body: { confirm: string }) =>
          draft({ confirmed: body.confirm === "slate-09" }, "draft", body.confirm),
      }),
    );
    show();
    const field = await screen.findByLabelText("Type slate-09 to allow deleting");
    expect(screen.getByText("Deleting cannot be undone.")).toBeVisible();
    await type(field, "slate-09");
    expect(await screen.findByText("The name agrees; the lot may delete it.")).toBeVisible();
    expect(puts(asked)).toEqual([{ volume: 9, keep: false, confirm: "slate-09" }]);
  });

  it("needs no name where the volume stays", async () => {
    const asked = serve(
      answers({ "PUT /api/attach/detach/9/": draft({ keep: true, datastore: "berth-g" }) }),
    );
    show();
    await screen.findByRole("heading", { name: /Take/ });
    await waitFor(() => {
      expect(screen.getByRole("radio", { name: /Detach only/ })).toBeEnabled();
    });
    await user.click(screen.getByRole("radio", { name: /Detach only/ }));
    expect(await screen.findByText("none, it stays")).toBeVisible();
    expect(screen.queryByLabelText(/to allow deleting/)).toBeNull();
    expect(puts(asked)).toEqual([{ volume: 9, keep: true, confirm: "" }]);
  });

  it("is fixed once the lot ran", async () => {
    serve(answers({ "GET /api/attach/detach/9/": draft({}, "done") }));
    show();
    expect(await screen.findByText(/is done/)).toBeVisible();
    expect(screen.getByRole("radio", { name: /Delete/ })).toBeDisabled();
  });

  it("is only read by the auditor", async () => {
    serve(answers({ "GET /api/session/": auditor }));
    show();
    expect(await screen.findByText("Your role reads only.")).toBeVisible();
    expect(screen.getByLabelText(/to allow deleting/)).toBeDisabled();
  });

  it("says when the volume is gone, and where to begin without one", async () => {
    serve(answers({ "GET /api/attach/detach/9/": { ...draft(), plan: null } }));
    const { unmount } = show();
    expect(await screen.findByText("This volume is no longer on any array.")).toBeVisible();
    unmount();
    show("/attach/detach");
    expect(await screen.findByText(/open its trace, and press Take away/)).toBeVisible();
  });
});
