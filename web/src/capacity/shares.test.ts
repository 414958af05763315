import { describe, expect, it } from "vitest";
import { wholes } from "./shares";

const TIB = 2 ** 40;
const share = (name: string, pool: string, tib: number) => ({
  by: "cluster",
  name,
  pool,
  disks: 2,
  provisioned_bytes: tib * TIB,
  written_bytes: (tib * TIB) / 2,
});

describe("who uses what", () => {
  it("adds up pools, each at its own price a TiB and month, the most on top", () => {
    const rows = [share("gate", "fast", 1), share("quay", "fast", 2), share("quay", "slow", 4)];
    const found = wholes(
      rows,
      new Map([
        ["fast", 30],
        ["slow", 5],
      ]),
    );
    expect(
      found.map((each) => [each.name, each.disks, each.provisioned / TIB, each.written / TIB, each.cost]),
    ).toEqual([
      ["quay", 4, 6, 3, 80],
      ["gate", 2, 1, 0.5, 30],
    ]);
  });

  it("knows how each went so far, of those that have days", () => {
    const courses = [{ name: "quay", days: ["2026-11-01", "2026-11-02"], written_bytes: [TIB, 2 * TIB] }];
    const found = wholes([share("gate", "fast", 1), share("quay", "fast", 2)], new Map(), courses);
    expect(found.map((each) => [each.name, each.course])).toEqual([
      ["quay", [TIB, 2 * TIB]],
      ["gate", []],
    ]);
  });
});
