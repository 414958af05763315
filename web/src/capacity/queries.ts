import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";

export type Row = Schemas["CapacityRow"];
export type Reclaim = Schemas["ReclaimRow"];
export type Share = Schemas["ShareRow"];
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

/** What is asked of the future: growth so many times as fast, and bytes that come in, or room that is added. */
export interface WhatIf {
  growth: number;
  id: number | null;
  addBytes: number;
  roomBytes: number;
  inDays: number;
}

export const AS_IT_IS: WhatIf = { growth: 1, id: null, addBytes: 0, roomBytes: 0, inDays: 0 };

export const capacityQuery = (by: Kind) =>
  queryOptions("get", "/api/capacity/", { params: { query: { by } } });

/** All runways of a kind as they would be. */
export const whatIfQuery = (by: Kind, asked: WhatIf) =>
  queryOptions("get", "/api/capacity/what-if/", {
    params: {
      query: {
        by,
        growth: asked.growth,
        add_bytes: asked.addBytes,
        room_bytes: asked.roomBytes,
        in_days: asked.inDays,
        ...(asked.id === null ? {} : { id: asked.id }),
      },
    },
  });

/** What it can be told by who uses what. */
export const SHARED_BY = ["cluster", "host", "label", "policy", "datastore"] as const;
export type SharedBy = (typeof SHARED_BY)[number];

/** Who has how much of which pool. */
export const sharesQuery = (by: SharedBy) =>
  queryOptions("get", "/api/capacity/shares/", { params: { query: { by } } });

/** What could come back. */
export const reclaimQuery = () => queryOptions("get", "/api/capacity/reclaim/");

/** How the use of a row went and goes on. */
export const courseQuery = (kind: string, id: number) =>
  queryOptions("get", "/api/capacity/{kind}/{id}/course/", { params: { path: { kind, id } } });
