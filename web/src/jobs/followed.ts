import { api, unwrap } from "../api/client";
import { type Problem, ProblemError, type Schemas } from "../api/problem";

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
  if (job.problem) throw new ProblemError(job.problem as unknown as Problem);
  return job;
}

/** How far a job is, in words; empty where nothing is told. */
export const progressOf = (job: Job | null): string =>
  job && isOpen(job)
    ? [job.text, job.total ? `${String(job.done)} of ${String(job.total)}` : ""].filter(Boolean).join(", ")
    : "";
