/** Pure geometry of the lane chart: each step a bar on its device's lane, by planned or real time. */
export interface LaneStep {
  id: number;
  device: string;
  planned_start: number;
  planned_end: number;
  started_at: string | null;
  ended_at: string | null;
}

export interface Bar {
  id: number;
  start: number;
  end: number;
  row: number;
  real: boolean;
}

export interface Lane {
  device: string;
  rows: number;
  bars: Bar[];
  /** Devices whose lanes are alike and drawn as this one; it is the slowest of them. */
  alike: number;
}

/** More lanes than this are folded to those that differ. */
export const LANES_APART = 16;

function span(step: LaneStep, origin: number | null, now: number): Omit<Bar, "id" | "row"> {
  if (origin !== null && step.started_at) {
    const start = (Date.parse(step.started_at) - origin) / 1000;
    const end = ((step.ended_at ? Date.parse(step.ended_at) : now) - origin) / 1000;
    return { start, end: Math.max(end, start + 0.2), real: true };
  }
  return { start: step.planned_start, end: step.planned_end, real: false };
}

const inTime = (steps: readonly LaneStep[], origin: number | null, now: number) =>
  [...steps].sort((a, b) => span(a, origin, now).start - span(b, origin, now).start);

/** Lanes in the order their first steps come; bars that overlap in time take rows of their own. */
export function layLanes(
  steps: readonly LaneStep[],
  startedAt: string | null,
  now: number,
): { lanes: Lane[]; seconds: number } {
  const origin = startedAt ? Date.parse(startedAt) : null;
  const lanes = new Map<string, Lane>();
  const ends = new Map<string, number[]>();
  let seconds = 1;
  for (const step of inTime(steps, origin, now)) {
    const lane = lanes.get(step.device) ?? { device: step.device, rows: 0, bars: [], alike: 1 };
    lanes.set(step.device, lane);
    const bar = span(step, origin, now);
    const rows = ends.get(step.device) ?? [];
    ends.set(step.device, rows);
    // They come by their start: a row is free once its last bar has ended.
    const free = rows.findIndex((end) => end <= bar.start);
    const row = free < 0 ? rows.length : free;
    rows[row] = bar.end;
    lane.bars.push({ id: step.id, row, ...bar });
    lane.rows = rows.length;
    seconds = Math.max(seconds, bar.end);
  }
  return { lanes: [...lanes.values()], seconds };
}

/** Many lanes, with those on which the same happens drawn as the one of them that ends last. */
export function foldLanes(lanes: readonly Lane[], sameAs: (bar: Bar) => string): Lane[] {
  if (lanes.length <= LANES_APART) return [...lanes];
  const kept = new Map<string, Lane>();
  const end = (lane: Lane) => Math.max(...lane.bars.map((bar) => bar.end));
  for (const lane of lanes) {
    const key = lane.bars.map(sameAs).join("|");
    const other = kept.get(key);
    const slowest = other && end(other) >= end(lane) ? other : lane;
    kept.set(key, { ...slowest, alike: (other?.alike ?? 0) + 1 });
  }
  return [...kept.values()];
}
