import { describe, expect, it } from "vitest";
import { formatSize } from "../parts/format";
import { finding } from "../tests/data";
import { newOnes, pathTo, said } from "./words";

describe("sentences of findings", () => {
  it("show sizes in the unit of the reader", () => {
    const words = [
      { text: "95 % full, growing ", bytes: null },
      { text: "", bytes: 12 * 1024 ** 3 },
      { text: " a day", bytes: null },
    ];
    expect(said(words, (bytes) => formatSize(bytes, "TiB"))).toBe("95 % full, growing 12.0 GiB a day");
    expect(said(words, (bytes) => formatSize(bytes, "TB"))).toBe("95 % full, growing 12.9 GB a day");
  });

  it("lead to their subject where it has a page", () => {
    expect(pathTo(finding("berth-a", { subject_id: 7 }))).toBe("/trace/datastore/7");
    expect(pathTo(finding("granite", { subject_kind: "device" }))).toBe("/devices");
    expect(pathTo(finding("iqn.x", { subject_kind: "initiator", subject_id: null }))).toBeNull();
  });
});

describe("what is new since yesterday", () => {
  const now = new Date("2026-11-26T12:00:00Z");
  const old = finding("berth-a", { id: 1, first_seen: "2026-11-20T12:00:00Z" });
  const fresh = finding("berth-b", { id: 2, first_seen: "2026-11-26T02:00:00Z" });

  it("is told apart from what was there before", () => {
    expect([...newOnes([old, fresh], now)]).toEqual([2]);
  });

  it("is nothing on the first day, as all is new then", () => {
    expect([...newOnes([fresh], now)]).toEqual([]);
  });
});
