import type { Schemas } from "../api/problem";

export type Role = Schemas["NewPersonRequest"]["role"] & string;

/** Each role with what it may do. */
export const ROLES: Readonly<Record<Role, string>> = {
  virtualization: "links devices, drafts and runs lots",
  storage: "as virtualization, and grants pools",
  auditor: "reads only",
  administrator: "keeps people and settings, reads",
};
