import { fireEvent, screen, waitFor } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { lot, person } from "../tests/data";
import { Refusal, renderPage, serve } from "../tests/server";
import type { Schemas } from "../api/problem";
import { api, unwrap } from "../api/client";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useTypedForm } from "./useTypedForm";

const form: Schemas["UseForm"] = { volume: 9, name: "slate-09", confirm: "", cluster: "" };
const PATH = "/api/attach/use-drafts/9/";
const answer = (version: string, name = "slate-09") => ({
  lot: lot({ version }),
  form: { ...form, name },
  plan: null,
});

function Page() {
  const path = { params: { path: { id: 9 } } };
  const {
    form: typed,
    change,
    error,
  } = useTypedForm(9, form, {
    load: () => unwrap(api.GET("/api/attach/use-drafts/{id}/", path)),
    store: (body, seen) => unwrap(api.PUT("/api/attach/use-drafts/{id}/", { ...path, ...seen, body })),
  });
  return (
    <>
      <ProblemAlert error={error} />
      <input
        aria-label="Name"
        value={typed.name}
        onChange={(event) => {
          change({ name: event.target.value });
        }}
      />
    </>
  );
}

describe("a form that is kept while it is typed", () => {
  beforeEach(() => {
    vi.restoreAllMocks();
  });

  const type = async (text: string) => {
    fireEvent.change(await screen.findByLabelText("Name"), { target: { value: text } });
  };

  it("names the version that the last answer told, so that each key follows the one before", async () => {
    let version = 1;
    const asked = serve({
      "GET /api/session/": person,
      [`GET ${PATH}`]: answer("v1"),
      [`PUT ${PATH}`]: (sent: { name: string }) => answer(`v${String(++version)}`, sent.name),
    });
    renderPage(<Page />);
    await waitFor(() => {
      expect(screen.getByLabelText("Name")).toHaveValue("slate-09");
    });
    const puts = () => asked.filter((each) => each.key.startsWith("PUT"));
    await type("one");
    await waitFor(() => {
      expect(puts()).toHaveLength(1);
    });
    await type("two");
    await waitFor(() => {
      expect(puts().map((each) => each.ifMatch)).toEqual(['"v1"', '"v2"']);
    });
  });

  it("shows what another person made of it, and who did, where that one was faster", async () => {
    let stored = answer("v1");
    serve({
      "GET /api/session/": person,
      [`GET ${PATH}`]: () => stored,
      [`PUT ${PATH}`]: () => {
        stored = answer("v2", "kelp-01");
        return new Refusal(412, {
          status: 412,
          code: "changed_since",
          title: "Lot 9 was changed since you looked, by tobias.wren.",
          detail: "name was slate-09, is kelp-01.",
          hint: "Look at it as it is now, then do it again. Nothing was done.",
        });
      },
    });
    renderPage(<Page />);
    await type("mine");
    expect(await screen.findByText(/changed since you looked, by tobias.wren/)).toBeVisible();
    await waitFor(() => {
      expect(screen.getByLabelText("Name")).toHaveValue("kelp-01");
    });
  });
});
