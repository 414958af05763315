import { render, screen } from "@testing-library/react";
import { expect, it } from "vitest";
import { lot, step, summary } from "../tests/data";
import { Checks } from "./Checks";
import { LaneChart } from "./LaneChart";

it("draws a lane a device with each step's state and time in words", () => {
  const steps = [
    step({ id: 1, device: "granite", title: "Create volume", planned_end: 2 }),
    step({ id: 2, position: 1, device: "quay-01", title: "Mount", planned_start: 2, planned_end: 5 }),
  ];
  render(<LaneChart lot={lot({ steps })} />);
  expect(screen.getByText("granite")).toBeVisible();
  expect(screen.getByRole("img", { name: "Create volume: waiting, 2 s planned" })).toBeVisible();
  expect(screen.getByText("dashed: planned")).toBeVisible();
});

it("shows real times once it ran", () => {
  const done = step({
    state: "done",
    title: "Mount",
    started_at: "2026-11-24T10:00:03Z",
    ended_at: "2026-11-24T10:00:09Z",
  });
  render(
    <LaneChart
      lot={lot({ summary: summary({ state: "done", started_at: "2026-11-24T10:00:00Z" }), steps: [done] })}
    />,
  );
  expect(screen.getByRole("img", { name: "Mount: done, 6 s" })).toBeVisible();
  expect(screen.getByText("filled: real times")).toBeVisible();
});

it("puts what stops first, then what warns, and passes in one line", () => {
  render(
    <Checks
      checks={[
        { name: "devices answer", level: "pass", text: "4 devices answer" },
        { name: "no rival draft", level: "warn", text: "granite-mixed is also drafted on." },
        { name: "pool has room", level: "stop", text: "3.00 TiB free, 90.0 TiB needed" },
      ]}
    />,
  );
  const text = screen.getByRole("group", { name: "Checks" }).textContent;
  expect(text.indexOf("90.0 TiB needed")).toBeLessThan(text.indexOf("also drafted on"));
  expect(text.indexOf("also drafted on")).toBeLessThan(text.search(/1 (other )?check/));
});
