import { describe, expect, it } from "vitest";
import { flowsOf, histogram, type MoveIn, type StoreIn } from "./flows";

const store = (id: number, fill: number, pool = 1, over = fill > 0.82): StoreIn => ({
  id,
  name: `store-${String(id)}`,
  pool,
  fill,
  over,
});
const pools = new Map([1, 2, 3].map((id) => [id, `pool-${String(id)}`]));
const move = (source: number, target: number, size_bytes: number): MoveIn => ({ source, target, size_bytes });

describe("the picture of a large group", () => {
  it("has those over the ceiling, worst first, and those that give without being over", () => {
    const stores = [store(1, 0.9), store(2, 0.95), store(3, 0.5), store(4, 0.3, 2)];
    const { sources } = flowsOf({ stores, pools, moves: [move(3, 4, 5)], row: 10 });
    expect(sources.map((row) => row.id)).toEqual([2, 1, 3]);
    expect(sources.map((row) => row.y)).toEqual([5, 15, 25]);
  });

  it("sums bytes by the pool that receives, most first", () => {
    const stores = [store(1, 0.9), store(4, 0.3, 2), store(5, 0.3, 3), store(6, 0.3, 3)];
    const moves = [move(1, 4, 6), move(1, 5, 4), move(1, 6, 4)];
    const { receivers, flows } = flowsOf({ stores, pools, moves, row: 10 });
    expect(receivers.map((row) => [row.name, row.bytes])).toEqual([
      ["pool-3", 8],
      ["pool-2", 6],
    ]);
    expect(flows.map((flow) => [flow.from.id, flow.to.id, flow.bytes])).toEqual([
      [1, 2, 6],
      [1, 3, 8],
    ]);
    expect(flows[1]?.width).toBe(14);
  });

  it("loses no byte where there are more than it shows", () => {
    const stores = Array.from({ length: 25 }, (_, n) => store(n, 0.99 - n / 1000)).concat(store(99, 0.1, 2));
    const moves = stores.slice(0, 25).map((each) => move(each.id, 99, 2));
    const { sources, flows } = flowsOf({ stores, pools, moves, row: 10 });
    expect(sources).toHaveLength(9);
    expect(sources.at(-1)).toMatchObject({ id: null, name: "17 more datastores", bytes: 34, count: 17 });
    expect(flows.reduce((sum, flow) => sum + flow.bytes, 0)).toBe(50);
  });
});

describe("a histogram", () => {
  it("counts each value once, now and after, and those over the ceiling", () => {
    const bins = histogram([0.05, 0.5, 0.95, 1.2], [0.5, 0.5, 0.5, 0.5], {
      most: 1,
      count: 10,
      ceiling: 0.8,
    });
    expect(bins.map((bin) => bin.now)).toEqual([1, 0, 0, 0, 0, 1, 0, 0, 0, 2]);
    expect(bins.map((bin) => bin.after)).toEqual([0, 0, 0, 0, 0, 4, 0, 0, 0, 0]);
    expect(bins.map((bin) => bin.overNow)).toEqual([0, 0, 0, 0, 0, 0, 0, 0, 0, 2]);
  });

  it("counts as over what is over the ceiling, which lies within a step", () => {
    const bins = histogram([0.81, 0.82, 0.83, 0.95], [], { most: 1, count: 10, ceiling: 0.82 });
    expect(bins.map((bin) => bin.overNow)).toEqual([0, 0, 0, 0, 0, 0, 0, 0, 1, 1]);
  });
});
