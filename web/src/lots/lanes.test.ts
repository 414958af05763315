import { describe, expect, it } from "vitest";
import { foldLanes, LANES_APART, layLanes, type LaneStep } from "./lanes";

const step = (
  id: number,
  device: string,
  start: number,
  end: number,
  real?: [number, number | null],
): LaneStep => ({
  id,
  device,
  planned_start: start,
  planned_end: end,
  started_at: real ? new Date(real[0] * 1000).toISOString() : null,
  ended_at: real?.[1] ? new Date(real[1] * 1000).toISOString() : null,
});

describe("the lane chart's layout", () => {
  it("puts overlapping steps of a device into rows of their own", () => {
    const { lanes, seconds } = layLanes(
      [step(1, "a", 0, 5), step(2, "a", 3, 8), step(3, "b", 8, 9)],
      null,
      0,
    );
    expect(lanes.map((lane) => [lane.device, lane.rows])).toEqual([
      ["a", 2],
      ["b", 1],
    ]);
    expect(seconds).toBe(9);
  });

  it("draws real times once there are any, up to now for what runs", () => {
    const start = new Date(100_000).toISOString();
    const { lanes } = layLanes(
      [step(1, "a", 0, 5, [101, 103]), step(2, "a", 5, 9, [103, null])],
      start,
      110_000,
    );
    expect(lanes[0]?.bars.map((bar) => [bar.start, bar.end, bar.real])).toEqual([
      [1, 3, true],
      [3, 10, true],
    ]);
  });
});

describe("many lanes", () => {
  const lanes = (count: number, slow: number) =>
    layLanes(
      Array.from({ length: count }, (_, n) => step(n, `quay-${String(n)}`, 0, n === slow ? 9 : 5)),
      null,
      0,
    ).lanes;

  it("are folded to those that differ, alike ones drawn as the slowest of them", () => {
    const folded = foldLanes(lanes(400, 123), (bar) => (bar.id === 7 ? "failed" : "done"));
    expect(folded.map((lane) => [lane.device, lane.alike])).toEqual([
      ["quay-123", 399],
      ["quay-7", 1],
    ]);
  });

  it("stand each for itself where they are few", () => {
    expect(foldLanes(lanes(LANES_APART, 0), () => "")).toHaveLength(LANES_APART);
  });
});
