import { describe, expect, it } from "vitest";
import { formatMoment, formatSeconds, formatShare, formatSize } from "./format";

describe("figures as text", () => {
  it("counts the same bytes in either base", () => {
    expect(formatSize(2 * 1024 ** 4, "TiB")).toBe("2.00 TiB");
    expect(formatSize(2 * 1024 ** 4, "TB")).toBe("2.20 TB");
    expect(formatSize(512, "TiB")).toBe("512 B");
  });

  it("says durations as a person does", () => {
    expect(formatSeconds(0.4)).toBe("1 s");
    expect(formatSeconds(240)).toBe("4 min");
    expect(formatSeconds(3 * 3600)).toBe("3.0 h");
    expect(formatSeconds(20 * 86_400)).toBe("20 days");
  });

  it("tells moments within a day relatively, older ones dated", () => {
    const now = new Date("2026-11-24T10:00:00Z");
    expect(formatMoment("2026-11-24T09:59:42Z", now)).toBe("18 s ago");
    expect(formatMoment("2026-11-20T09:00:00Z", now)).toContain("20 Nov");
  });

  it("rounds shares to whole percent", () => {
    expect(formatShare(0.948)).toBe("95 %");
  });
});
