import { describe, expect, it } from "vitest";
import { type ColumnIn, layOut, spacing, ticks } from "./geometry";

const column = (id: number, capacity: number, sizes: number[], other = 0): ColumnIn => ({
  id,
  capacity_bytes: capacity,
  room_bytes: capacity * 0.8,
  other_bytes: other,
  rest_bytes: 0,
  blocks: sizes.map((size_bytes, n) => ({ id: id * 10 + n, size_bytes })),
});

describe("the stack board's layout", () => {
  it("draws all columns true to one scale", () => {
    const [large, small] = layOut([column(1, 200, [100]), column(2, 100, [50])], [], 400);
    expect(large?.top).toBe(0);
    expect(small?.top).toBe(200);
    expect(large?.blocks[0]).toEqual({ id: 10, top: 200, height: 200 });
    expect(small?.blocks[0]?.height).toBe(100);
  });

  it("stands the blocks on what is no disk", () => {
    const [only] = layOut([column(1, 100, [20, 10], 30)], [], 100);
    expect(only?.foot).toBe(30);
    expect(only?.blocks.map((block) => block.top)).toEqual([50, 40]);
    expect(only?.ceiling).toBeCloseTo(20);
  });

  it("puts an arriving block on top of its target in its own size", () => {
    const moves = [{ disk: 10, source: 1, target: 2, size_bytes: 40 }];
    const [source, target] = layOut([column(1, 100, [40]), column(2, 100, [10])], moves, 100);
    expect(source?.blocks).toHaveLength(1);
    expect(target?.arriving).toEqual([{ id: 10, top: 50, height: 40 }]);
  });

  it("has whole ticks, at most six", () => {
    expect(ticks([column(1, 8, [])], 1)).toEqual([0, 2, 4, 6, 8]);
    expect(ticks([column(1, 100, [])], 1).length).toBeLessThanOrEqual(6);
    expect(ticks([], 1)).toEqual([0]);
  });
});

describe("the spacing of datastores", () => {
  it.each([
    [1, 140, 40],
    [4, 140, 40],
    [6, 100, 40],
    [8, 65, 40],
    [9, 71, 22],
    [14, 38, 22],
    [15, 34, 22],
    [24, 34, 22],
  ])("of %i of them is %i wide and %i apart", (count, width, gap) => {
    expect(spacing(count, 840)).toEqual({ width, gap });
  });

  it("lets up to fifteen stand side by side", () => {
    for (let count = 1; count <= 15; count += 1) {
      const { width, gap } = spacing(count, 840);
      expect(count * (width + gap)).toBeLessThanOrEqual(840);
    }
  });
});
