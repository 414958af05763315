import { screen, within } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { describe, expect, it } from "vitest";
import { useStatus } from "../shell/useStatus";
import { lot, person, status, summary } from "../tests/data";
import { NOT_THERE, renderPage, serve } from "../tests/server";
import { user } from "../tests/user";
import { LotPage } from "./LotPage";

const ended = summary({
  id: 5,
  state: "done",
  started_at: "2026-11-24T10:01:00Z",
  ended_at: "2026-11-24T10:01:20Z",
  steps_done: 1,
  undone_by: 6,
});
const row = (subject: string, figure: string, predicted: number | null, measured: number | null) => ({
  subject_kind: "datastore",
  subject,
  figure,
  before: 0.95,
  predicted,
  measured,
  note: "measured by the last reading",
  touched: true,
});
const undone = lot({
  summary: ended,
  steps: [],
  estimate_seconds: 16,
  outcome: [row("berth-a", "fill", 0.8, 0.84), row("granite-fast", "latency", 2, null)],
  can_run: false,
  acts: [{ who: "ines.marrow", what: "ran", at: "2026-11-25T06:12:00Z" }],
});

function Running() {
  const { data } = useStatus();
  return <p>{data?.lots ?? "?"} under way</p>;
}

const show = () =>
  renderPage(
    <Routes>
      <Route path="lots/:id" element={<LotPage />} />
    </Routes>,
    "/lots/5",
  );

describe("a lot's page", () => {
  it("puts measured beside predicted, with how far they are apart", async () => {
    serve({ "GET /api/lots/5/": undone });
    show();
    const table = await screen.findByRole("table", { name: "Predicted and measured" });
    const [, fill, latency] = within(table).getAllByRole("row");
    expect(fill).toHaveTextContent("95.0 %80.0 %84.0 %5 %");
    expect(latency).toHaveTextContent("2.0 ms––");
  });

  it("puts what the lot changes first, and folds the rest", async () => {
    const still = ["berth-b", "berth-c"].map((subject) => ({
      ...row(subject, "fill", 0.95, 0.95),
      touched: false,
    }));
    serve({ "GET /api/lots/5/": { ...undone, outcome: [...still, ...undone.outcome] } });
    show();
    const table = await screen.findByRole("table", { name: "Predicted and measured" });
    expect(within(table).getAllByRole("row")).toHaveLength(3);
    await user.click(screen.getByRole("button", { name: "Show 2 figures it leaves as they are" }));
    const rows = within(table).getAllByRole("row");
    expect(rows).toHaveLength(5);
    expect(rows[4]).toHaveTextContent("berth-c");
  });

  it("says what it took, what was estimated, and which lot undid it", async () => {
    serve({ "GET /api/lots/5/": undone });
    show();
    expect(await screen.findByText(/took 20 s of about 16 s estimated/)).toBeVisible();
    expect(screen.getByRole("link", { name: "lot 6" })).toHaveAttribute("href", "/lots/6");
  });

  it("says when there is no such lot", async () => {
    serve({ "GET /api/lots/5/": NOT_THERE });
    show();
    expect(await screen.findByRole("alert")).toHaveTextContent("Not there.");
  });

  it("has the frame asked anew the moment the lot ends, so that nothing says it still runs", async () => {
    let asks = 0;
    const asked = serve({
      "GET /api/lots/5/": () =>
        asks++ ? undone : { ...undone, summary: { ...ended, state: "running", ended_at: null } },
      "GET /api/session/": person,
      "GET /api/status/": () => status({ lots: asks > 1 ? 0 : 1 }),
    });
    renderPage(
      <Routes>
        <Route
          path="lots/:id"
          element={
            <>
              <Running />
              <LotPage />
            </>
          }
        />
      </Routes>,
      "/lots/5",
    );
    expect(await screen.findByText("1 under way")).toBeVisible();
    expect(await screen.findByText("0 under way", {}, { timeout: 3000 })).toBeVisible();
    expect(asked.filter(({ key }) => key === "GET /api/status/")).toHaveLength(2);
  });
});
