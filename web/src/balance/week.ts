import type { BarRow, GroupWeek, WayRow } from "./queries";

export const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"] as const;
export const DAY_HOURS = 24;
export const WEEK_HOURS = 7 * DAY_HOURS;
export const DOES = [
  ["advise", "advises"],
  ["act", "acts by itself"],
  ["still", "keeps still"],
] as const;

/** The way of each of the 168 hours of a week; none for null. */
export type Hours = readonly (string | null)[];

/** An hour of the week in words: "Fri 18:00". */
export const hourOfWeek = (hour: number): string =>
  `${DAYS[Math.floor(hour / DAY_HOURS) % 7] ?? ""} ${String(hour % DAY_HOURS).padStart(2, "0")}:00`;

/** The way of each hour that bars lay out. */
export function hoursOf(bars: readonly BarRow[]): Hours {
  const found: (string | null)[] = Array<string | null>(WEEK_HOURS).fill(null);
  for (const bar of bars) for (const hour of covered(bar)) found[hour] = bar.way;
  return found;
}

const covered = (bar: BarRow): number[] =>
  Array.from({ length: bar.hours }, (_, n) => (bar.begins + n) % WEEK_HOURS);

/** The fewest bars that give each hour its way; one that goes on past Sunday is one bar. */
export function barsOf(hours: Hours): BarRow[] {
  const found: BarRow[] = [];
  hours.forEach((way, hour) => {
    const last = found.at(-1);
    if (last && last.way === way && last.begins + last.hours === hour) last.hours += 1;
    else if (way !== null) found.push({ way, begins: hour, hours: 1 });
  });
  const [first] = found;
  const last = found.at(-1);
  if (first && last && first !== last && first.begins === 0 && first.way === last.way) {
    if (last.begins + last.hours === WEEK_HOURS) {
      last.hours += first.hours;
      found.shift();
    }
  }
  return found;
}

/** The hours with a way, or none, laid from one hour to another, both included, whichever comes first. */
export function laid(hours: Hours, way: string | null, from: number, to: number): Hours {
  const [low, high] = from < to ? [from, to] : [to, from];
  return hours.map((each, hour) => (hour >= low && hour <= high ? way : each));
}

/** The hours with a way, or none, laid on some days from an hour of the day until another, past midnight too. */
export function laidOnDays(
  hours: Hours,
  way: string | null,
  days: readonly number[],
  from: number,
  until: number,
): Hours {
  const lasts = (until - from + DAY_HOURS) % DAY_HOURS || DAY_HOURS;
  const touched = new Set(
    days.flatMap((day) => Array.from({ length: lasts }, (_, n) => (day * DAY_HOURS + from + n) % WEEK_HOURS)),
  );
  return hours.map((each, hour) => (touched.has(hour) ? way : each));
}

/** A way as it is typed: the same one by its `id`, whatever it is called. */
export type TypedWay = WayRow & { id: number };

/** A week as it is typed. */
export interface TypedWeek {
  zone: string;
  ways: readonly TypedWay[];
  hours: Hours;
  exceptions: GroupWeek["exceptions"];
}

export const typedOf = (week: GroupWeek): TypedWeek => ({
  zone: week.zone,
  ways: week.ways.map((way, id) => ({ ...way, id })),
  hours: hoursOf(week.bars),
  exceptions: week.exceptions,
});

/** The week as it is stored. */
export const formOf = ({ zone, ways, hours, exceptions }: TypedWeek) => ({
  zone,
  ways: ways.map(({ name, does, most_bytes, most_copies, fill_ceiling, latency_ceiling_ms }) => ({
    name,
    does,
    most_bytes,
    most_copies,
    fill_ceiling,
    latency_ceiling_ms,
  })),
  bars: barsOf(hours),
  exceptions: [...exceptions],
});

/** The week with a way under another name, wherever it is laid. */
export function renamed({ zone, ways, hours, exceptions }: TypedWeek, id: number, name: string): TypedWeek {
  const before = ways.find((way) => way.id === id)?.name;
  return {
    zone,
    ways: ways.map((way) => (way.id === id ? { ...way, name } : way)),
    hours: hours.map((way) => (way === before ? name : way)),
    exceptions: exceptions.map((each) => (each.way === before ? { ...each, way: name } : each)),
  };
}

/** The week with these ways: what was laid of others is laid no more. */
export function withWays(week: TypedWeek, ways: readonly TypedWay[]): TypedWeek {
  const names = new Set(ways.map((way) => way.name));
  return {
    ...week,
    ways,
    hours: week.hours.map((way) => (way !== null && names.has(way) ? way : null)),
    exceptions: week.exceptions.filter((each) => names.has(each.way)),
  };
}

/** What a way does, in a few words. */
export function said(way: WayRow, size: (bytes: number) => string): string {
  const does = { advise: "advises", act: "acts", still: "nothing moves" }[way.does];
  return [
    does,
    way.most_bytes ? `≤ ${size(way.most_bytes)}` : "",
    way.most_copies ? `${String(way.most_copies)} at once` : "",
    way.fill_ceiling ? `${(way.fill_ceiling * 100).toFixed(0)} %` : "",
    way.latency_ceiling_ms ? `${String(way.latency_ceiling_ms)} ms` : "",
  ]
    .filter(Boolean)
    .join(", ");
}

/** The hour of the week at a site, of a moment. */
export function hourAt(moment: Date, zone: string): number {
  const parts = new Intl.DateTimeFormat("en-GB", {
    timeZone: zone,
    weekday: "short",
    hour: "numeric",
    hourCycle: "h23",
  }).formatToParts(moment);
  const of = (type: string) => parts.find((part) => part.type === type)?.value ?? "";
  return Math.max(0, DAYS.indexOf(of("weekday") as (typeof DAYS)[number])) * DAY_HOURS + Number(of("hour"));
}
