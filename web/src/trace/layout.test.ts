import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { chainOf, layoutOf } from "./layout";

const link = (kind: string, id: number, name: string, size_bytes: number | null = null) => ({
  kind,
  id,
  name,
  size_bytes,
  note: "",
});
const edge = (kind: string, id: number, to_kind: string, to_id: number) => ({ kind, id, to_kind, to_id });
const layer = (kind: string, links: ReturnType<typeof link>[], more = 0) => ({ kind, links, more });

const way = (host_id: number, paths: number): Schemas["Way"] => ({
  host: "quay-01",
  host_id,
  volume: "berth-a",
  initiator: "iqn",
  device: "naa.1",
  number_word: "LUN",
  number: 1,
  path_policy: "RoundRobin",
  paths: Array.from({ length: paths }, () => ["storage-a", "A1", "active"]),
});

const disks = Array.from({ length: 60 }, (_, n) => link("disk", n, `disk ${String(n)}`, n + 1));
const crowd = {
  kind: "datastore",
  id: 1,
  ways: [],
  layers: [layer("disk", disks, 40), layer("datastore", [link("datastore", 1, "berth-a")])],
  edges: disks.map((disk) => edge("disk", disk.id, "datastore", 1)),
};

describe("the drawing of a trace", () => {
  it("draws the largest of many and folds the rest into one that says how many", () => {
    const { spots, lines } = layoutOf(crowd);
    const shown = spots.filter((spot) => spot.kind === "disk");
    expect(shown).toHaveLength(8);
    expect(shown.map((spot) => spot.id)).toEqual(expect.arrayContaining([59, 53, null]));
    const folded = shown.find((spot) => spot.id === null);
    expect(folded?.name).toBe("93 more");
    // What is folded is joined once.
    expect(lines).toHaveLength(8);
    expect(lines).toContainEqual(["disk more", "datastore 1"]);
  });

  it("keeps the thing itself, however small", () => {
    const { spots } = layoutOf({ ...crowd, kind: "disk", id: 0 });
    expect(spots.find((spot) => spot.here)).toMatchObject({ kind: "disk", id: 0 });
  });

  it("puts things near their neighbours, and hosts beneath the chain with what they have in all", () => {
    const trace = {
      kind: "array",
      id: 1,
      ways: [way(7, 2), way(7, 1), way(8, 4)],
      layers: [
        layer("host", [link("host", 7, "quay-01")]),
        layer("machine", [link("machine", 3, "payroll")]),
        layer("disk", [link("disk", 1, "a", 5), link("disk", 2, "b", 5)]),
        layer("datastore", [link("datastore", 1, "x"), link("datastore", 2, "y")]),
        layer("array", [link("array", 1, "granite")]),
      ],
      edges: [
        edge("disk", 1, "datastore", 2),
        edge("disk", 2, "datastore", 1),
        edge("host", 7, "datastore", 1),
        edge("machine", 3, "host", 7),
      ],
    };
    const { spots, columns } = layoutOf(trace);
    expect(columns.map((kinds) => [...kinds].sort())).toEqual([
      ["machine"],
      ["disk"],
      ["datastore"],
      ["array"],
    ]);
    const host = spots.find((spot) => spot.kind === "host");
    expect(host).toMatchObject({ column: null, row: 0, total: "1 machine, 3 paths" });
    expect(spots.find((spot) => spot.kind === "array")?.total).toBe("7 paths");
    const row = (key: string) => spots.find((spot) => spot.key === key)?.row ?? -1;
    expect(Math.sign(row("disk 1") - row("disk 2"))).toBe(Math.sign(row("datastore 2") - row("datastore 1")));
  });

  it("draws a thing without neighbours alone", () => {
    const { spots, rows } = layoutOf({
      kind: "pool",
      id: 1,
      ways: [],
      layers: [layer("pool", [link("pool", 1, "p")])],
      edges: [],
    });
    expect([spots.length, rows]).toEqual([1, 1]);
  });

  it("follows a chain away from a thing only", () => {
    const lines: [string, string][] = [
      ["disk 1", "store 1"],
      ["disk 2", "store 1"],
      ["store 1", "pool 1"],
    ];
    expect(chainOf("disk 1", lines)).toEqual(new Set(["disk 1", "store 1", "pool 1"]));
    expect(chainOf("store 1", lines)).toEqual(new Set(["store 1", "disk 1", "disk 2", "pool 1"]));
  });
});
