import { act, screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { api, queryOptions, unwrap } from "../../api/client";
import type { Schemas } from "../../api/problem";
import { job, lot, person } from "../../tests/data";
import { later, LOST, Refusal, renderPage, serve } from "../../tests/server";
import { type, user } from "../../tests/user";
import { LotButtons } from "../LotButtons";
import { DraftPage } from "./DraftPage";
import { TextInput } from "./fields";
import { useDraftForm } from "./useDraftForm";

type Form = Schemas["UseForm"];
type Answer = Schemas["UseDraft"];

const FORM: Form = { volume: 9, name: "slate-09", confirm: "", cluster: "" };
const DRAFT = "/api/attach/use-drafts/9/";
const answer = (version: string, part: Partial<Form> = {}): Answer => ({
  lot: lot({ version }),
  form: { ...FORM, ...part },
  plan: null,
});

function Page() {
  const params = { path: { id: 9 } };
  const draft = useDraftForm(9, {
    stored: queryOptions("get", "/api/attach/use-drafts/{id}/", { params }),
    store: (body: Form, seen) => unwrap(api.PUT("/api/attach/use-drafts/{id}/", { params, ...seen, body })),
  });
  return (
    <>
      <DraftPage draft={draft} title="A draft">
        {(form) => {
          const of = { form, change: draft.change, fixed: draft.fixed };
          return (
            <>
              <TextInput of={of} name="name" label="Name" hint="" />
              <TextInput of={of} name="cluster" label="Cluster" hint="" />
            </>
          );
        }}
      </DraftPage>
      <LotButtons lot={draft.answer?.lot ?? lot({ version: "v1" })} />
    </>
  );
}

const changedSince = {
  status: 412,
  code: "changed_since",
  title: "Lot 9 was changed since you looked, by tobias.wren.",
  detail: "name was slate-09, is kelp-01.",
  hint: "Look at it as it is now, then do it again. Nothing was done.",
};
const stored = (asked: ReturnType<typeof serve>) => asked.filter((each) => each.key === `PUT ${DRAFT}`);

describe("a draft's form", () => {
  it("can be typed in only once the stored one is there, so that no early key overwrites it", async () => {
    const first = later<Answer>();
    const asked = serve({
      "GET /api/session/": person,
      "GET /api/attach/use-drafts/9/": () => first.promise,
    });
    renderPage(<Page />);
    expect(await screen.findByRole("status", { name: "Loading" })).toBeVisible();
    expect(screen.queryByLabelText("Name")).toBeNull();
    first.come(answer("v1", { name: "kelp-07", cluster: "quayside" }));
    expect(await screen.findByLabelText("Name")).toHaveValue("kelp-07");
    expect(stored(asked)).toEqual([]);
  });

  it("keeps what is typed while an answer is on its way, and stores the latest form last", async () => {
    const answers = [later<Answer>(), later<Answer>()];
    let puts = 0;
    const asked = serve({
      "GET /api/session/": person,
      "GET /api/attach/use-drafts/9/": answer("v1"),
      "PUT /api/attach/use-drafts/9/": () => answers[puts++]?.promise ?? LOST,
    });
    renderPage(<Page />);
    await type(await screen.findByLabelText("Name"), "one");
    await waitFor(() => {
      expect(stored(asked)).toHaveLength(1);
    });
    await type(screen.getByLabelText("Cluster"), "gatehouse");
    answers[0]?.come(answer("v2", { name: "one" }));
    await waitFor(() => {
      expect(stored(asked)).toHaveLength(2);
    });
    expect(screen.getByLabelText("Cluster")).toHaveValue("gatehouse");
    expect(screen.getByLabelText("Name")).toHaveValue("one");
    expect(stored(asked).map((each) => each.ifMatch)).toEqual(['"v1"', '"v2"']);
    expect(stored(asked)[1]?.body).toEqual({ ...FORM, name: "one", cluster: "gatehouse" });
    expect(screen.getByRole("status", { name: "Draft" })).toHaveTextContent("storing");
    answers[1]?.come(answer("v3", { name: "one", cluster: "gatehouse" }));
    await waitFor(() => {
      expect(screen.getByRole("status", { name: "Draft" })).toHaveTextContent("stored as typed");
    });
  });

  it("has Run wait for what was typed, and runs just that version", async () => {
    const storing = later<Answer>();
    const asked = serve({
      "GET /api/session/": person,
      "GET /api/attach/use-drafts/9/": answer("v1"),
      "PUT /api/attach/use-drafts/9/": () => storing.promise,
      "POST /api/lots/9/run/": job(),
      "GET /api/lots/9/": lot(),
    });
    renderPage(<Page />);
    await type(await screen.findByLabelText("Name"), "late");
    await user.click(screen.getByRole("button", { name: "Run lot" }));
    await waitFor(() => {
      expect(stored(asked)).toHaveLength(1);
    });
    expect(asked.map((each) => each.key)).not.toContain("POST /api/lots/9/run/");
    storing.come(answer("v2", { name: "late" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/9/run/")?.ifMatch).toBe('"v2"');
    });
  });

  it("says that it is not stored, keeps it, runs nothing, and stores it when asked again", async () => {
    let lost = true;
    const asked = serve({
      "GET /api/session/": person,
      "GET /api/attach/use-drafts/9/": answer("v1"),
      "PUT /api/attach/use-drafts/9/": () => (lost ? LOST : answer("v2", { name: "kept" })),
    });
    renderPage(<Page />);
    await type(await screen.findByLabelText("Name"), "kept");
    expect(await screen.findByText("▲ not stored")).toBeVisible();
    expect(screen.getByLabelText("Name")).toHaveValue("kept");
    await user.click(screen.getByRole("button", { name: "Run lot" }));
    expect(await screen.findByText(/not stored, so nothing was begun/)).toBeVisible();
    expect(asked.map((each) => each.key)).not.toContain("POST /api/lots/9/run/");
    lost = false;
    await user.click(screen.getByRole("button", { name: "Store again" }));
    expect(await screen.findByText("■ stored as typed")).toBeVisible();
  });

  it("shows what another person made of it, and who did, where that one was faster", async () => {
    let now = answer("v1");
    serve({
      "GET /api/session/": person,
      "GET /api/attach/use-drafts/9/": () => now,
      "PUT /api/attach/use-drafts/9/": () => {
        now = answer("v2", { name: "kelp-01" });
        return new Refusal(412, changedSince);
      },
    });
    renderPage(<Page />);
    await type(await screen.findByLabelText("Name"), "mine");
    expect(await screen.findByText(/changed since you looked, by tobias.wren/)).toBeVisible();
    await waitFor(() => {
      expect(screen.getByLabelText("Name")).toHaveValue("kelp-01");
    });
  });

  it("takes over what another person stored, where nothing is typed on it", async () => {
    let now = answer("v1");
    serve({ "GET /api/session/": person, "GET /api/attach/use-drafts/9/": () => now });
    const { queries } = renderPage(<Page />);
    expect(await screen.findByLabelText("Name")).toHaveValue("slate-09");
    now = answer("v1", { name: "kelp-02" });
    await act(() => queries.invalidateQueries());
    await waitFor(() => {
      expect(screen.getByLabelText("Name")).toHaveValue("kelp-02");
    });
  });

  it("stores what is typed when the page is left before its time has come", async () => {
    const asked = serve({
      "GET /api/session/": person,
      "GET /api/attach/use-drafts/9/": answer("v1"),
      "PUT /api/attach/use-drafts/9/": (body: Form) => answer("v2", body),
    });
    const page = renderPage(<Page />);
    await type(await screen.findByLabelText("Name"), "gone");
    page.unmount();
    await waitFor(() => {
      expect(stored(asked).at(-1)?.body).toEqual({ ...FORM, name: "gone" });
    });
  });

  it("is not to be typed in once the lot runs", async () => {
    const running = answer("v1");
    running.lot.summary.state = "running";
    serve({ "GET /api/session/": person, "GET /api/attach/use-drafts/9/": running });
    renderPage(<Page />);
    expect(await screen.findByLabelText("Name")).toBeDisabled();
    expect(screen.getByText(/is running/)).toBeVisible();
  });
});
