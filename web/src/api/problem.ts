import type { components } from "./schema";

/** A problem document (RFC 9457) as the API sends it. */
export interface Problem {
  status: number;
  code: string;
  title: string;
  detail: string;
  hint: string;
}

export class ProblemError extends Error {
  readonly problem: Problem;

  constructor(problem: Problem) {
    super(problem.title);
    this.problem = problem;
  }
}

const UNREACHABLE: Problem = {
  status: 0,
  code: "unreachable",
  title: "Move Lot's server does not answer.",
  detail: "Nothing was changed by this request.",
  hint: "Check that it runs; this page tries again by itself.",
};

function isProblem(value: unknown): value is Problem {
  return typeof value === "object" && value !== null && "title" in value && "code" in value;
}

/** Any thrown value as a problem to show. */
export function problemOf(error: unknown): Problem {
  return error instanceof ProblemError ? error.problem : UNREACHABLE;
}

/** The body of a failed answer as a problem. */
export function problemFrom(body: unknown, status: number): Problem {
  if (isProblem(body)) return body;
  return { ...UNREACHABLE, status, title: `The server answered ${String(status)}.` };
}

export type Schemas = components["schemas"];
