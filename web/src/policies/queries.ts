import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";

export type Board = Schemas["PoliciesAnswer"];
export type Row = Schemas["PolicyRow"];
export type SettlePlan = Schemas["SettlePlan"];
export type Cell = Schemas["FitCell"];
export type Kind = Schemas["RequirementKind"];
export type Policy = Schemas["PolicyAnswer"];
export type Requirement = Schemas["AskedRequirement"];

/** The fit board with the kinds of requirements. */
export const policiesQuery = () => queryOptions("get", "/api/policies/");

/** A policy with its versions and what it is given to. */
export const policyQuery = (id: number) =>
  queryOptions("get", "/api/policies/{id}/", { params: { path: { id } } });

/** Why a datastore serves a policy, or not. */
export const cellQuery = (id: number, store: number) =>
  queryOptions("get", "/api/policies/{id}/places/{store}/", { params: { path: { id, store } } });

/** What a policy, or a new one, would do if it asked this. */
export const effectQuery = (policy: number | null, requirements: readonly Requirement[]) =>
  queryOptions("get", "/api/policies/effect/", {
    params: {
      query: { ...(policy === null ? {} : { policy }), requirements: JSON.stringify(requirements) },
    },
  });
