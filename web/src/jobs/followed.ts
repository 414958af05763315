import { api, unwrap } from "../api/client";
import { ProblemError, type Schemas } from "../api/problem";
import { formatSeconds } from "../parts/format";

export type Job = Schemas["JobAnswer"];

const ASKED_EVERY_MS = 250;

/** What a job ends with that somebody asked to end. */
export class CancelledError extends Error {}

const isOpen = (job: Job) => job.state === "waiting" || job.state === "running";
const pause = (ms: number) => new Promise((done) => window.setTimeout(done, ms));

/** The job once it is done; throws its problem. ``told`` sees each step on the way. */
export async function followed(
  asked: Promise<Job>,
  told: (job: Job) => void = () => undefined,
): Promise<Job> {
  let job = await asked;
  told(job);
  while (isOpen(job)) {
    await pause(ASKED_EVERY_MS);
    job = await unwrap(api.GET("/api/jobs/{id}/", { params: { path: { id: job.id } } }));
    told(job);
  }
  if (job.state === "cancelled")
    throw new CancelledError("The work was ended; what it had begun stays as it was.");
  if (job.problem) throw new ProblemError(job.problem);
  return job;
}

type Results = Schemas["JobResults"];

/** What a job of this kind came to. */
export function resultOf<Kind extends keyof Results>(job: Job, kind: Kind): Results[Kind] {
  if (job.kind !== kind || job.result === null)
    throw new TypeError(`job ${String(job.id)} is no ${kind} that is done`);
  return job.result as Results[Kind];
}

// Before this much is done, what it took says little of what is left.
const TOLD_FROM_SHARE = 0.1;

/** Seconds that a job still takes, if it goes on as it did so far; null while that cannot be told. */
export function secondsLeft({ started_at, done, total }: Job, now: number): number | null {
  if (!started_at || total <= 0 || done / total < TOLD_FROM_SHARE) return null;
  const taken = (now - Date.parse(started_at)) / 1000;
  return taken > 0 ? (taken / done) * (total - done) : null;
}

/** How far a job is, in words, and how long it still takes; empty where nothing is told. */
export function progressOf(job: Job | null, now: number): string {
  if (!job || !isOpen(job)) return "";
  const left = secondsLeft(job, now);
  return [
    job.text,
    job.total ? `${String(job.done)} of ${String(job.total)}` : "",
    left === null ? "" : `${formatSeconds(left)} left`,
  ]
    .filter(Boolean)
    .join(", ");
}
