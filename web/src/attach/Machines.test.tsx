import { fireEvent, screen } from "@testing-library/react";
import { useState } from "react";
import { expect, it, vi } from "vitest";
import { renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { Machines } from "./Machines";

const NONE: { id: number; name: string; host: string }[] = [];
const hit = (kind: string, id: number, name: string) => ({ kind, id, name, size_bytes: null, note: "" });

it("finds machines by name and nothing else, and adds the chosen one to those that share it", async () => {
  serve({ "GET /api/find/": { hits: [hit("machine", 4, "payroll"), hit("disk", 9, "payroll disk 1")] } });
  const choose = vi.fn();
  const named = [{ id: 2, name: "tide-model", host: "quay-01" }];
  renderPage(<Machines ids={[2]} named={named} fixed={false} choose={choose} />);
  const field = screen.getByLabelText("Machines that get it");
  fireEvent.focus(field);
  await type(field, "pay");
  await user.click(await screen.findByRole("option", { name: "payroll" }));
  expect(screen.queryByRole("option", { name: "payroll disk 1" })).toBeNull();
  expect(choose).toHaveBeenCalledWith([2, 4]);
});

it("says what several of them mean", () => {
  serve({});
  const two = [1, 2].map((id) => ({ id, name: `node-${String(id)}`, host: "quay-01" }));
  renderPage(<Machines ids={[1, 2]} named={two} fixed={false} choose={vi.fn()} />);
  expect(screen.getByText("They share it, as the machines of a guest cluster do.")).toBeVisible();
});

it("keeps what was just chosen while the plan has not named it yet", async () => {
  serve({ "GET /api/find/": { hits: [hit("machine", 4, "payroll"), hit("machine", 5, "payroll-2")] } });
  const Form = () => {
    const [ids, setIds] = useState<number[]>([]);
    return <Machines ids={ids} named={NONE} fixed={false} choose={setIds} />;
  };
  renderPage(<Form />);
  for (const name of ["payroll", "payroll-2"]) {
    const field = screen.getByLabelText("Machines that get it");
    fireEvent.focus(field);
    await type(field, "pay");
    await user.click(await screen.findByRole("option", { name }));
  }
  expect(screen.getByRole("button", { name: "payroll" })).toBeVisible();
  expect(screen.getByRole("button", { name: "payroll-2" })).toBeVisible();
});
