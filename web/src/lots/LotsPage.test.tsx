import { screen } from "@testing-library/react";
import { expect, it } from "vitest";
import { summary } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { LotsPage } from "./LotsPage";

it("lists lots with their state and how far they came", async () => {
  const rows = [
    summary({ id: 4, title: "Attach berth-e to quayside", state: "failed", steps: 12, steps_done: 5 }),
    summary({ id: 3, title: "Clear berth-a", state: "done", steps: 7, steps_done: 7 }),
  ];
  serve({ "GET /api/lots/": { count: 2, next: null, previous: null, results: rows } });
  renderPage(<LotsPage />);
  expect(await screen.findByRole("link", { name: "Lot 4" })).toHaveAttribute("href", "/lots/4");
  expect(screen.getByText("5 of 12")).toBeVisible();
  expect(screen.getByText("failed")).toBeVisible();
});

it("says where lots come from when there is none", async () => {
  serve({ "GET /api/lots/": { count: 0, next: null, previous: null, results: [] } });
  renderPage(<LotsPage />);
  expect(await screen.findByText(/No lot yet/)).toBeVisible();
  expect(screen.getByRole("link", { name: "Rounds" })).toHaveAttribute("href", "/");
});
