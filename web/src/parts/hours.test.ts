import { expect, it } from "vitest";
import { barHeights } from "./hours";

it("scales bars, lines and ceiling to the highest of them", () => {
  const strip = barHeights([5, 10], [2, 4], 5, 100);
  expect(strip.bars).toEqual([50, 100]);
  expect(strip.lines).toEqual([20, 40]);
  expect(strip.ceiling).toBe(50);
});

it("keeps the ceiling in sight when all is far beneath it", () => {
  expect(barHeights([1], [], 10, 110).ceiling).toBe(100);
});
