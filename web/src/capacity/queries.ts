import { api, queryOptions, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { followed, resultOf } from "../jobs/followed";

export type Row = Schemas["CapacityRow"];
export type Reclaim = Schemas["ReclaimRow"];
export type Share = Schemas["ShareRow"];
export type ShareCourse = Schemas["ShareCourse"];
export type Course = Schemas["CourseAnswer"];

/** What capacity is told by, each with the words for several. */
export const KINDS = {
  pool: "pools",
  datastore: "datastores",
  group: "groups",
  array: "arrays",
  cluster: "clusters",
  policy: "policies",
  label: "labels",
} as const;
export type Kind = keyof typeof KINDS;
export const kindOf = (text: string | null): Kind =>
  text !== null && text in KINDS ? (text as Kind) : "pool";

export type Happening = Schemas["Happening"];

/** What is asked of the future: growth so many times as fast, and what happens to datastores and pools. */
export interface WhatIf {
  growth: number;
  acts: readonly Happening[];
}

export const AS_IT_IS: WhatIf = { growth: 1, acts: [] };
export const isAsItIs = ({ growth, acts }: WhatIf): boolean => growth === 1 && acts.length === 0;

export const capacityQuery = (by: Kind) =>
  queryOptions("get", "/api/capacity/", { params: { query: { by } } });

/** All runways of a kind as they would be. */
export const whatIfQuery = (by: Kind, asked: WhatIf) =>
  queryOptions("get", "/api/capacity/what-if/", {
    params: { query: { by, asked: JSON.stringify(asked) } },
  });

export type KeptWhatIf = Schemas["WhatIfRow"];
export type Ends = Schemas["Ends"];

/** What is kept under names, for everybody. */
export const whatIfsQuery = () => queryOptions("get", "/api/capacity/what-ifs/");

/** All that is kept side by side, for all rows of a kind. */
export const comparedQuery = (by: Kind) =>
  queryOptions("get", "/api/capacity/what-ifs/compared/", { params: { query: { by } } });

/** What people noted of a thing's days. */
export const notesQuery = (kind: string, id: number) =>
  queryOptions("get", "/api/capacity/{kind}/{id}/notes/", { params: { path: { kind, id } } });

/** Machines whose name has a text in it. */
export const machinesLikeQuery = (text: string) =>
  queryOptions("get", "/api/machines/", {
    params: { query: { page: 1, page_size: 20, ordering: "name", ...(text ? { text } : {}) } },
  });

/** What it can be told by who uses what. */
export const SHARED_BY = ["cluster", "host", "label", "policy", "datastore"] as const;
export type SharedBy = (typeof SHARED_BY)[number];

/** Who has how much of which pool. */
export const sharesQuery = (by: SharedBy) =>
  queryOptions("get", "/api/capacity/shares/", { params: { query: { by } } });

/** What could come back. */
export const reclaimQuery = () => queryOptions("get", "/api/capacity/reclaim/");

/** The bytes of a datastore or a pool, from guests down to drives. */
export const levelsQuery = (kind: string, id: number) =>
  queryOptions("get", "/api/capacity/{kind}/{id}/levels/", { params: { path: { kind, id } } });

/** How the use of a row went and goes on. */
export const courseQuery = (kind: string, id: number) =>
  queryOptions("get", "/api/capacity/{kind}/{id}/course/", { params: { path: { kind, id } } });

export type OfPool = Schemas["PoolAnswer"];

/** All of one pool. */
export const poolQuery = (id: number) =>
  queryOptions("get", "/api/capacity/pools/{id}/", { params: { path: { id } } });

export type PoolCurve = Schemas["PoolCurve"];

/** How a pool answers under load, and how far plans may load it. */
export const curveQuery = (id: number) =>
  queryOptions("get", "/api/pools/{id}/curve/", { params: { path: { id } } });

export type Reduction = Schemas["ReductionAnswer"];
export type ReducibleVolume = Schemas["ReducibleVolume"];
export type WayLeft = Schemas["WayLeft"];

/** The volumes of a pool, how they are reduced, and what was estimated of them last. */
export const reductionQuery = (pool: number) =>
  queryOptions("get", "/api/capacity/reduction/{id}/", { params: { path: { id: pool } } });

export type PlacePlan = Schemas["PlacePlan"];
export type PlannedAct = Schemas["PlannedAct"];

/** What gives every pool and datastore so many days of runway; a job finds it where nothing is known yet. */
export const roomQuery = (days: number, deleting: boolean) => ({
  queryKey: ["room plan", days, deleting],
  queryFn: async () => {
    const asked = await unwrap(api.GET("/api/capacity/room/", { params: { query: { days, deleting } } }));
    if ("places" in asked) return asked;
    return resultOf(await followed(Promise.resolve(asked)), "plan_room");
  },
});

/** A lot as it is drafted once the name was typed of what it deletes; of others as it is. */
export const confirmed = <Form extends Record<string, unknown>, Kind>(
  { kind, form }: { kind: Kind; form: Form },
  typed: string | undefined,
) => ({ kind, form: typed ? { ...form, confirm: typed } : form });
