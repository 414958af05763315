import { describe, expect, it } from "vitest";
import { folded } from "./folding";
import type { Cell } from "./queries";

const column = (id: number, pool: string) => ({ id, name: `store-${String(id)}`, pool, array: "granite" });
const cell = (store: number, part: Partial<Cell>): Cell => ({
  store,
  answer: "cannot",
  disks: 0,
  out: 0,
  ...part,
});

describe("columns of the fit board", () => {
  it("are datastores while there are not too many", () => {
    const columns = folded([column(1, "fast"), column(2, "mixed")]);
    expect(columns.map(({ name, store }) => [name, store])).toEqual([
      ["store-1", 1],
      ["store-2", 2],
    ]);
    const cells = new Map([[1, cell(1, { answer: "has it", disks: 3 })]]);
    expect(columns[0]?.of(cells)).toEqual(cell(1, { answer: "has it", disks: 3 }));
    expect(columns[1]?.of(cells).answer).toBe("not known");
  });

  it("are pools beyond forty, with the best answer and all disks of their datastores", () => {
    const columns = folded(Array.from({ length: 41 }, (_, n) => column(n + 1, n < 20 ? "fast" : "mixed")));
    expect(columns.map(({ name, store }) => [name, store])).toEqual([
      ["fast", null],
      ["mixed", null],
    ]);
    const cells = new Map([
      [1, cell(1, { disks: 2, out: 2 })],
      [2, cell(2, { answer: "can make it", disks: 5 })],
    ]);
    expect(columns[0]?.of(cells)).toEqual(cell(0, { answer: "can make it", disks: 7, out: 2 }));
  });
});
