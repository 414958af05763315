/** Heights in px of an hour strip's bars, prediction lines and ceiling; the highest of all fills the strip. */
export function barHeights(
  now: readonly number[],
  after: readonly number[],
  ceiling: number,
  height: number,
): { bars: number[]; lines: number[]; ceiling: number } {
  const most = Math.max(ceiling * 1.1, ...now, ...after, 0.001);
  const scale = (value: number) => (value / most) * height;
  return { bars: now.map(scale), lines: after.map(scale), ceiling: scale(ceiling) };
}
