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
}

function span(step: LaneStep, origin: number | null, now: number): Omit<Bar, "id" | "row"> {
  if (origin !== null && step.started_at) {
    const start = (Date.parse(step.started_at) - origin) / 1000;
    const end = ((step.ended_at ? Date.parse(step.ended_at) : now) - origin) / 1000;
    return { start, end: Math.max(end, start + 0.2), real: true };
  }
  return { start: step.planned_start, end: step.planned_end, real: false };
}

/** Lanes in the order their first steps come; bars that overlap in time take rows of their own. */
export function layLanes(
  steps: readonly LaneStep[],
  startedAt: string | null,
  now: number,
): { lanes: Lane[]; seconds: number } {
  const origin = startedAt ? Date.parse(startedAt) : null;
  const lanes = new Map<string, Lane>();
  let seconds = 1;
  for (const step of steps) {
    const lane = lanes.get(step.device) ?? { device: step.device, rows: 0, bars: [] };
    lanes.set(step.device, lane);
    const bar = span(step, origin, now);
    let row = 0;
    while (lane.bars.some((other) => other.row === row && other.start < bar.end && bar.start < other.end))
      row += 1;
    lane.bars.push({ id: step.id, row, ...bar });
    lane.rows = Math.max(lane.rows, row + 1);
    seconds = Math.max(seconds, bar.end);
  }
  return { lanes: [...lanes.values()], seconds };
}
