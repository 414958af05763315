import { describe, expect, it } from "vitest";
import { drawn, onAxis, runwayText, stateOf } from "./runways";

const days = (early: number | null, likely: number | null, late: number | null, told = true) => ({
  early,
  likely,
  late,
  told,
});

describe("a runway", () => {
  it("is told with its interval, or with what is not known", () => {
    expect(runwayText(days(24, 31, 43))).toBe("24 to 43 d, likely 31");
    expect(runwayText(days(31, 31, 31))).toBe("31 days");
    expect(runwayText(days(24, null, null))).toBe("≥ 24 d");
    expect(runwayText(days(24, 99, null))).toBe("≥ 24 d, likely 99");
    expect(runwayText(days(null, null, null))).toBe("beyond a year");
    expect(runwayText(days(null, null, null, false))).toBe("less than 14 days known");
    expect(runwayText(days(0, 0, 0))).toBe("over its ceiling");
  });

  it("is over, waits or is clear, by its earliest day", () => {
    expect([0, 45, 46, null].map((early) => stateOf({ early }))).toEqual(["over", "waits", "clear", "clear"]);
  });

  it("ends with the axis", () => {
    expect([0, 90, 180, 400].map(onAxis)).toEqual([0, 0.5, 1, 1]);
  });
});

describe("a layer bar", () => {
  it("draws what is held, not what is free", () => {
    const layers = [
      { layer: "live", size_bytes: 3 },
      { layer: "free", size_bytes: 7 },
    ];
    expect(drawn({ layers })).toEqual([{ layer: "live", bytes: 3 }]);
  });
});
