import { fireEvent, screen } from "@testing-library/react";
import { beforeEach, expect, it, vi } from "vitest";
import { renderPage, serve } from "../tests/server";
import { Machines } from "./Machines";

const hit = (kind: string, id: number, name: string) => ({ kind, id, name, size_bytes: null, note: "" });

beforeEach(() => {
  vi.unstubAllGlobals();
});

it("finds machines by name and nothing else, and adds the chosen one to those that share it", async () => {
  serve({ "GET /api/find/": { hits: [hit("machine", 4, "payroll"), hit("disk", 9, "payroll disk 1")] } });
  const choose = vi.fn();
  const chosen = [{ id: 2, name: "tide-model", host: "quay-01" }];
  renderPage(<Machines chosen={chosen} fixed={false} choose={choose} />);
  const field = screen.getByLabelText("Machines that get it");
  fireEvent.focus(field);
  fireEvent.change(field, { target: { value: "pay" } });
  fireEvent.click(await screen.findByRole("option", { name: "payroll" }));
  expect(screen.queryByRole("option", { name: "payroll disk 1" })).toBeNull();
  expect(choose).toHaveBeenCalledWith([2, 4]);
});

it("says what several of them mean", () => {
  serve({});
  const two = [1, 2].map((id) => ({ id, name: `node-${String(id)}`, host: "quay-01" }));
  renderPage(<Machines chosen={two} fixed={false} choose={vi.fn()} />);
  expect(screen.getByText("They share it, as the machines of a guest cluster do.")).toBeVisible();
});
