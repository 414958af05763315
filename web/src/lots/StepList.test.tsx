import { render, screen, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { lot as anyLot, step as anyStep, summary } from "../tests/data";
import { groupDetail, groupSteps, groupTitle } from "./grouping";
import { StepList } from "./StepList";

type Step = Schemas["StepAnswer"];

const step = (position: number, kind: string, device: string, part: Partial<Step> = {}): Step =>
  anyStep({ id: position + 1, position, kind, device, title: `${kind} on ${device}`, detail: "", ...part });

const lot = (state: Schemas["LotState"], steps: Step[]) =>
  anyLot({ summary: summary({ state, steps: steps.length }), steps });

describe("a lot's steps", () => {
  it("groups alike steps on different hosts, and never copies", () => {
    const steps = [
      step(0, "scan", "quay-01"),
      step(1, "scan", "quay-02"),
      step(2, "move_disk", "quay-01"),
      step(3, "move_disk", "quay-02"),
    ];
    const groups = groupSteps(steps);
    expect(groups.map((group) => group.steps.length)).toEqual([2, 1, 1]);
    expect(groups[0] && groupTitle(groups[0])).toBe("scan on each host");
  });

  it("keeps steps apart that name different things", () => {
    const give = (position: number, device: string, machine: string) =>
      step(position, "give_volume", device, { title: `Give quorum-01 to ${machine}` });
    const groups = groupSteps([give(0, "quay-01", "payroll"), give(1, "quay-02", "tug-roster")]);
    expect(groups.map(groupTitle)).toEqual(["Give quorum-01 to payroll", "Give quorum-01 to tug-roster"]);
  });

  it("says of a group once what all say, and what differs each once", () => {
    const [group] = groupSteps([
      step(0, "scan", "quay-01", { detail: "8 paths" }),
      step(1, "scan", "quay-02", { detail: "8 paths" }),
      step(2, "scan", "quay-03", { detail: "4 paths" }),
    ]);
    expect(group && groupDetail(group)).toBe("8 paths; 4 paths");
  });

  it("shows a copy's progress with rate and time left", () => {
    const copy = step(0, "move_disk", "quay-01", {
      state: "running",
      done_amount: 2 ** 30,
      total_amount: 5 * 2 ** 30,
      per_second: 2 ** 30,
    });
    render(<StepList lot={lot("running", [copy])} />);
    expect(screen.getByRole("progressbar")).toHaveAttribute("value", String(2 ** 30));
    expect(screen.getByText(/1\.00 GiB of 5\.00 GiB, 1\.00 GiB\/s, 4 s left/)).toBeVisible();
  });

  it("says why a step stopped, what stayed and what to do", () => {
    const problem = {
      code: "target_full",
      device: "quay-01",
      message: "berth-b is full.",
      unchanged: "The disk stays.",
      hint: "Plan again.",
    };
    render(<StepList lot={lot("failed", [step(0, "move_disk", "quay-01", { state: "failed", problem })])} />);
    expect(screen.getByRole("alert")).toHaveTextContent("berth-b is full. The disk stays. Plan again.");
  });

  it("shows the step at work whatever its place, and every other by scrolling", () => {
    const many = Array.from({ length: 200 }, (_, n) =>
      step(n, "mount", `quay-${String(n)}`, { state: n < 149 ? "done" : n === 149 ? "running" : "waiting" }),
    );
    render(<StepList lot={lot("running", many)} />);
    const now = within(screen.getByRole("region", { name: "At work now" }));
    expect(now.getByText("mount on quay-149")).toBeVisible();
    const all = screen.getByRole("region", { name: "All steps" });
    expect(within(all).getAllByRole("listitem")[0]).toHaveAttribute("aria-setsize", "200");
  });

  it("says when there is nothing to do", () => {
    render(<StepList lot={lot("draft", [])} />);
    expect(screen.getByText("No steps yet.")).toBeVisible();
  });
});
