import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";

export type Finding = Schemas["FindingAnswer"];

/** What wants attention today. */
export const roundsQuery = () => queryOptions("get", "/api/rounds/");
