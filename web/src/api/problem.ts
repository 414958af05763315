import type { components } from "./schema";

export type Schemas = components["schemas"];
/** A problem document (RFC 9457) as the API sends it. */
export type Problem = Pick<Schemas["Problem"], "status" | "code" | "title" | "detail" | "hint"> &
  Partial<Schemas["Problem"]>;

export class ProblemError extends Error {
  readonly problem: Problem;

  constructor(problem: Problem) {
    super(problem.title);
    this.problem = problem;
  }
}

/** No answer came: what was only asked changed nothing; what was to be done may have been done all the same. */
export class LostAnswerError extends ProblemError {
  constructor(method: string) {
    super(method === "GET" ? UNREACHABLE : { ...UNREACHABLE, ...UNCERTAIN });
  }
}

const UNREACHABLE: Problem = {
  status: 0,
  code: "unreachable",
  title: "Move Lot's server does not answer.",
  detail: "",
  hint: "Check that it runs; this page asks again by itself.",
};

const UNCERTAIN = {
  code: "answer_lost",
  detail: "The answer was lost: what was asked for may have been done all the same.",
  hint: "Look where things stand before you do it again; this page asks by itself once the server answers.",
};

const UNFORESEEN: Problem = {
  status: 0,
  code: "unforeseen",
  title: "This page went wrong.",
  detail: "Nothing was sent to the server by what failed.",
  hint: "Reload the page; drafts are kept on the server.",
};

function isProblem(value: unknown): value is Problem {
  return typeof value === "object" && value !== null && "title" in value && "code" in value;
}

/** Any thrown value as a problem to show. */
export function problemOf(error: unknown): Problem {
  return error instanceof ProblemError ? error.problem : UNFORESEEN;
}

/** The body of a failed answer as a problem. */
export function problemFrom(body: unknown, status: number): Problem {
  if (isProblem(body)) return body;
  return { ...UNREACHABLE, status, title: `The server answered ${String(status)}.` };
}
