import { countOf } from "../parts/format";
import type { Row } from "./queries";

/** As many days as the axis has; what is farther is said to be beyond. */
export const AXIS_DAYS = 180;

/** When the ceiling is reached, in words. */
export function runwayText(row: Pick<Row, "early" | "likely" | "late" | "told">): string {
  const { early, likely, late, told } = row;
  if (early === 0) return "over its ceiling";
  if (!told) return "less than 14 days known";
  if (early === null) return "beyond a year";
  if (late === null) {
    return `≥ ${String(early)} d${likely === null ? "" : `, likely ${String(likely)}`}`;
  }
  return early === late
    ? countOf(late, "day")
    : `${String(early)} to ${String(late)} d, likely ${String(likely)}`;
}

/** State of a row: over its ceiling, soon at it, or clear. */
export function stateOf(row: Pick<Row, "early">): "over" | "waits" | "clear" {
  if (row.early === 0) return "over";
  return row.early !== null && row.early <= 45 ? "waits" : "clear";
}

/** The share of the axis at which a day lies, 1 at most. */
export const onAxis = (days: number): number => Math.min(1, days / AXIS_DAYS);

export interface Part {
  layer: string;
  bytes: number;
}

/** Layers that are drawn: what is free is the track beneath. */
export function drawn(row: Pick<Row, "layers">): Part[] {
  return row.layers
    .filter((each) => each.layer !== "free")
    .map((each) => ({ layer: each.layer, bytes: each.size_bytes }));
}
