/** Answers of the API as tests need them: the made-up port in small, with parts to override. */
import type { Schemas } from "../api/problem";

export const TIB = 1024 ** 4;
export const GIB = 1024 ** 3;

export const person: Schemas["Session"] = {
  name: "ines.marrow",
  role: "virtualization",
  may_change: true,
  administers: false,
  csrf: "x",
};
export const auditor: Schemas["Session"] = {
  name: "auditor",
  role: "auditor",
  may_change: false,
  administers: false,
  csrf: "x",
};

export const nobody: Schemas["Session"] = {
  name: "",
  role: "",
  may_change: false,
  administers: false,
  csrf: "x",
};

/** A job that is done, with parts to override. */
export const job = (part: Partial<Schemas["JobAnswer"]> = {}): Schemas["JobAnswer"] => ({
  id: 7,
  kind: "check",
  state: "done",
  text: "",
  done: 0,
  total: 0,
  result: null,
  problem: null,
  asked_at: "2026-11-26T02:00:00Z",
  started_at: null,
  ended_at: null,
  ...part,
});

/** A finding over the fill ceiling of a datastore. */
export const finding = (
  subject: string,
  part: Partial<Schemas["FindingAnswer"]> = {},
): Schemas["FindingAnswer"] => ({
  id: 1,
  kind: "over_fill",
  urgency: "now",
  stage: "balance",
  subject_kind: "datastore",
  subject_id: 3,
  subject,
  of: "",
  label: subject,
  title: "Over its fill ceiling",
  text: [
    { text: "95 % full; ceiling 82 %, ", bytes: null },
    { text: "", bytes: 1024 ** 4 },
    { text: " over", bytes: null },
  ],
  action: [
    { text: "Move 2 disks, ", bytes: null },
    { text: "", bytes: 1024 ** 4 },
  ],
  place: "/trace/datastore/3",
  reasons: [],
  figures: {},
  draft: { kind: "balance", form: { group: "quayside" }, action: "Move disks" },
  settled_with: `balance of ${subject}`,
  first_seen: "2026-11-20T02:00:00Z",
  last_seen: "2026-11-26T02:00:00Z",
  acknowledged_until: null,
  acknowledged_by: "",
  acknowledged_note: "",
  ...part,
});

/** Rounds of an estate where nothing waits. */
export const quietRounds: Schemas["Rounds"] = {
  findings: [],
  put_off: [],
  arrays: [],
  slowest: null,
  quiet: { datastores: 4, hosts: 3, disks: 40 },
  last_lot: null,
  first_hour: [],
};

export const status = (part: Partial<Schemas["Status"]> = {}): Schemas["Status"] => ({
  devices: 4,
  devices_away: 0,
  oldest_reading_at: new Date().toISOString(),
  findings: 2,
  revision: "r1",
  waiting: {},
  lots: 0,
  active_lot: null,
  newest_draft: null,
  troubles: [],
  ...part,
});

export const summary = (part: Partial<Schemas["LotSummary"]> = {}): Schemas["LotSummary"] => ({
  id: 9,
  kind: "balance",
  title: "Clear berth-a",
  state: "draft",
  created_by: "ines.marrow",
  created_at: "2026-11-24T10:00:00Z",
  started_at: null,
  ended_at: null,
  steps: 1,
  steps_done: 0,
  undoes: null,
  undone_by: null,
  ...part,
});

export const step = (part: Partial<Schemas["StepAnswer"]> = {}): Schemas["StepAnswer"] => ({
  id: 1,
  position: 0,
  kind: "move_disk",
  device: "quay-01",
  title: "Move tug-roster disk 1",
  detail: "berth-a → berth-b",
  state: "waiting",
  planned_start: 0,
  planned_end: 4,
  done_amount: 0,
  total_amount: 0,
  per_second: 0,
  started_at: null,
  ended_at: null,
  believed: "",
  problem: null,
  ...part,
});

export const lot = (part: Partial<Schemas["LotDetail"]> = {}): Schemas["LotDetail"] => ({
  summary: summary(),
  version: "5eed",
  steps: [step()],
  checks: [],
  checked_at: null,
  estimate_seconds: 240,
  seconds_left: null,
  outcome: [],
  can_run: true,
  can_undo: false,
  reversible: true,
  by_hand: false,
  lasts_hours: null,
  lasts_until: null,
  not_taken_back: "",
  by_itself: false,
  window_ends_at: null,
  acts: [],
  ...part,
});

const block = (id: number, name: string, gib: number): Schemas["Block"] => ({
  id,
  name,
  machine: name,
  size_bytes: gib * GIB,
  heat: 2,
  level: 3,
  pinned: false,
});

export const stack = (id: number, name: string, part: Partial<Schemas["Stack"]> = {}): Schemas["Stack"] => ({
  id,
  name,
  pool: 1,
  capacity_bytes: 6 * TIB,
  used_bytes: 3 * TIB,
  other_bytes: 0,
  rest_bytes: 0,
  rest_disks: 0,
  disks: 2,
  room_bytes: 4.92 * TIB,
  fill: 0.5,
  over: false,
  blocks: [],
  ...part,
});

export const board = (part: Partial<Schemas["GroupBoard"]> = {}): Schemas["GroupBoard"] => ({
  id: 1,
  name: "quayside",
  cluster: "quayside",
  disks: 3,
  fill_ceiling: 0.82,
  latency_ceiling_ms: 9,
  large: false,
  datastores: [
    stack(1, "berth-a", {
      fill: 0.95,
      over: true,
      blocks: [block(11, "tug-roster", 130), block(12, "payroll", 540)],
    }),
    stack(2, "berth-b", { blocks: [block(13, "weighbridge", 200)] }),
  ],
  pools: [
    {
      id: 1,
      name: "granite-fast",
      array: "granite",
      known: true,
      latency_ms: Array<number>(24).fill(11.8),
      weekend_ms: Array<number>(24).fill(4),
      hours_over: [10],
      peak_ms: 11.8,
      peak_hour: 10,
      peak_day: "weekday",
      over: true,
      cautious: false,
      fit_shape: "one queue",
      fit_low: 0.96,
      fit_high: 1.05,
      fit_error_ms: 0.08,
      fit_samples: 672,
    },
  ],
  ...part,
});

export const plan = (part: Partial<Schemas["BalancePlan"]> = {}): Schemas["BalancePlan"] => ({
  group: "quayside",
  moves: [
    {
      disk: 11,
      name: "tug-roster disk 1",
      machine: "tug-roster",
      source: 1,
      source_name: "berth-a",
      target: 2,
      target_name: "berth-b",
      size_bytes: 130 * GIB,
      offloaded: true,
      staging: false,
      start: 0,
      end: 240,
      reasons: ["berth-a from 95 % to 80 %"],
    },
  ],
  moved_bytes: 130 * GIB,
  bound_bytes: 128 * GIB,
  clears: true,
  needed: true,
  makespan_seconds: 240,
  datastores: [
    { id: 1, used_bytes: 4.8 * TIB, fill: 0.8, over: false },
    { id: 2, used_bytes: 3.1 * TIB, fill: 0.52, over: false },
  ],
  pools: [
    {
      id: 1,
      latency_ms: Array<number>(24).fill(7.1),
      peak_ms: 7.1,
      peak_hour: 10,
      peak_day: "weekday",
      over: false,
      extrapolated: false,
    },
  ],
  unresolved: [],
  broken: [],
  ...part,
});
