import { screen, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { describe, expect, it } from "vitest";
import { renderPage, serve } from "../tests/server";
import { LotPage } from "./LotPage";

const summary = {
  id: 5,
  kind: "balance",
  title: "Clear berth-a",
  state: "done",
  created_by: "ines.marrow",
  created_at: "2026-11-24T10:00:00Z",
  started_at: "2026-11-24T10:01:00Z",
  ended_at: "2026-11-24T10:01:20Z",
  steps: 1,
  steps_done: 1,
  undoes: null,
  undone_by: 6,
};
const row = (subject: string, figure: string, predicted: number | null, measured: number | null) => ({
  subject_kind: "datastore",
  subject,
  figure,
  before: 0.95,
  predicted,
  measured,
  note: "measured by the last reading",
});
const lot = {
  summary,
  steps: [],
  checks: [],
  checked_at: null,
  estimate_seconds: 16,
  seconds_left: null,
  outcome: [row("berth-a", "fill", 0.8, 0.84), row("granite-fast", "latency", 2, null)],
  can_run: false,
  can_undo: false,
  reversible: true,
  acts: [{ who: "ines.marrow", what: "ran", at: "2026-11-25T06:12:00Z" }],
};

const show = () =>
  renderPage(
    <Routes>
      <Route path="lots/:id" element={<LotPage />} />
    </Routes>,
    "/lots/5",
  );

describe("a lot's page", () => {
  it("puts measured beside predicted, with how far they are apart", async () => {
    serve({ "GET /api/lots/5/": lot });
    show();
    const table = await screen.findByRole("table", { name: "Predicted and measured" });
    const [, fill, latency] = within(table).getAllByRole("row");
    expect(fill).toHaveTextContent("95.0 %80.0 %84.0 %5 %");
    expect(latency).toHaveTextContent("2.0 ms––");
  });

  it("says what it took, what was estimated, and which lot undid it", async () => {
    serve({ "GET /api/lots/5/": lot });
    show();
    expect(await screen.findByText(/took 20 s of about 16 s estimated/)).toBeVisible();
    expect(screen.getByRole("link", { name: "lot 6" })).toHaveAttribute("href", "/lots/6");
  });

  it("says when there is no such lot", async () => {
    serve({});
    show();
    expect(await screen.findByRole("alert")).toHaveTextContent("Not there.");
  });
});
