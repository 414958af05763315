/** Numbers and times as text. Sizes come as bytes, shares as 0..1, times as ISO text. */
export type Unit = "TiB" | "TB";

const NAMES: Record<Unit, readonly string[]> = {
  TiB: ["B", "KiB", "MiB", "GiB", "TiB", "PiB"],
  TB: ["B", "kB", "MB", "GB", "TB", "PB"],
};

/** A size with three significant digits in the chosen base. */
export function formatSize(bytes: number, unit: Unit): string {
  const base = unit === "TiB" ? 1024 : 1000;
  let value = bytes;
  let power = 0;
  while (Math.abs(value) >= base && power < 5) {
    value /= base;
    power += 1;
  }
  const digits = power === 0 ? 0 : Math.abs(value) < 10 ? 2 : Math.abs(value) < 100 ? 1 : 0;
  return `${value.toFixed(digits)} ${NAMES[unit][power] ?? ""}`;
}

/** A number with its noun, in the plural where there is not one. */
export const countOf = (count: number, noun: string, many = `${noun}s`): string =>
  `${count.toLocaleString("en-GB")} ${count === 1 ? noun : many}`;
export const formatShare = (share: number): string => `${(share * 100).toFixed(0)} %`;
/** How far so many times a thing are from it: −4 %, +5 %. */
export function formatApart(times: number): string {
  const percent = Math.round((times - 1) * 100);
  return `${percent < 0 ? "−" : "+"}${String(Math.abs(percent))} %`;
}
export const formatMs = (ms: number): string => `${ms.toFixed(1)} ms`;
export const formatHour = (hour: number): string => `${String(hour).padStart(2, "0")}:00`;

/** Seconds as a duration a person says. */
export function formatSeconds(seconds: number): string {
  if (seconds < 90) return `${Math.max(0, Math.ceil(seconds - 0.001)).toFixed(0)} s`;
  if (seconds < 5400) return `${(seconds / 60).toFixed(0)} min`;
  return seconds < 172_800 ? `${(seconds / 3600).toFixed(1)} h` : `${(seconds / 86_400).toFixed(0)} days`;
}

/** A day and time, in the reader's own time zone, short enough for a table. */
export const formatDate = (iso: string): string =>
  new Date(iso).toLocaleString("en-GB", {
    day: "numeric",
    month: "short",
    hour: "2-digit",
    minute: "2-digit",
  });

/** A day so long ago that its time says nothing and its year does. */
const formatLongAgo = (iso: string): string =>
  new Date(iso).toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" });
const LONG_AGO_SECONDS = 180 * 86_400;

/** A day in words: “Tuesday 24 November”. */
export const formatDay = (day: Date): string =>
  day.toLocaleDateString("en-GB", { weekday: "long", day: "numeric", month: "long" });

/** A time of day with seconds. */
export const formatClock = (iso: string): string => new Date(iso).toLocaleTimeString("en-GB");

/** The reader's own time zone, for what is said of hours at the site. */
export const readersZone = (): string => Intl.DateTimeFormat().resolvedOptions().timeZone;

/** A moment relative to `now` within a day, else dated; with its year once that is long ago. */
export function formatMoment(iso: string, now: Date): string {
  const seconds = (now.getTime() - new Date(iso).getTime()) / 1000;
  if (seconds >= LONG_AGO_SECONDS) return formatLongAgo(iso);
  if (seconds >= 86_400) return formatDate(iso);
  return seconds < 1 ? "just now" : `${formatSeconds(seconds)} ago`;
}

/** A moment as a field for date and time has it, by the reader's clock. */
export function formatTyped(iso: string): string {
  const at = new Date(iso);
  const local = new Date(at.getTime() - at.getTimezoneOffset() * 60_000);
  return local.toISOString().slice(0, 16);
}
