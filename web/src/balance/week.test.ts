import { describe, expect, it } from "vitest";
import type { GroupWeek } from "./queries";
import { barsOf, hourAt, hoursOf, laid, laidOnDays, renamed, type TypedWeek, withWays } from "./week";

const NOTHING = hoursOf([]);
const way = (id: number, name: string) => ({
  id,
  name,
  does: "act" as const,
  most_bytes: null,
  most_copies: null,
  fill_ceiling: null,
  latency_ceiling_ms: null,
});
const exception: GroupWeek["exceptions"][number] = {
  way: "Night",
  begins: "2026-12-31T17:00:00Z",
  ends: "2027-01-01T08:00:00Z",
  reason: "",
};
const typed: TypedWeek = {
  zone: "UTC",
  ways: [way(0, "Night"), way(1, "Day")],
  hours: laid(laid(NOTHING, "Night", 0, 4), "Day", 5, 9),
  exceptions: [exception],
};

describe("bars of a week", () => {
  it("are as few as give each hour its way, one past Sunday being one", () => {
    const bars = [
      { way: "Night", begins: 164, hours: 9 },
      { way: "Day", begins: 5, hours: 15 },
      { way: "Night", begins: 20, hours: 9 },
    ];
    expect(barsOf(hoursOf(bars))).toEqual([bars[1], bars[2], bars[0]]);
  });

  it("are one where a way holds at all hours, and none where none does", () => {
    expect(barsOf(laid(NOTHING, "Night", 167, 0))).toEqual([{ way: "Night", begins: 0, hours: 168 }]);
    expect(barsOf(NOTHING)).toEqual([]);
  });

  it("are laid on days past midnight and past Sunday, over what was there", () => {
    const nights = laidOnDays(laid(NOTHING, "Day", 0, 167), "Night", [0, 6], 20, 5);
    expect(barsOf(nights)).toEqual([
      { way: "Day", begins: 5, hours: 15 },
      { way: "Night", begins: 20, hours: 9 },
      { way: "Day", begins: 29, hours: 135 },
      { way: "Night", begins: 164, hours: 9 },
    ]);
    expect(barsOf(laidOnDays(NOTHING, "Night", [1], 8, 8))).toEqual([
      { way: "Night", begins: 32, hours: 24 },
    ]);
  });
});

describe("ways of a week", () => {
  it("keep their hours and exceptions under another name", () => {
    const found = renamed(typed, 0, "Dusk");
    expect(found.hours.slice(3, 7)).toEqual(["Dusk", "Dusk", "Day", "Day"]);
    expect(found.exceptions[0]?.way).toBe("Dusk");
  });

  it("leave no hours and exceptions behind when they are taken out", () => {
    const found = withWays(typed, typed.ways.slice(1));
    expect(barsOf(found.hours)).toEqual([{ way: "Day", begins: 5, hours: 5 }]);
    expect(found.exceptions).toEqual([]);
  });
});

describe("the hour of the week", () => {
  it("is that of the site's clock", () => {
    const moment = new Date("2026-11-29T23:30:00Z");
    expect(hourAt(moment, "UTC")).toBe(6 * 24 + 23);
    expect(hourAt(moment, "Europe/Oslo")).toBe(0);
  });
});
