import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";

export type Board = Schemas["GroupBoard"];
export type Stack = Schemas["Stack"];
export type BoardPool = Schemas["BoardPool"];
export type Plan = Schemas["BalancePlan"];
export type Move = Schemas["MoveRow"];
export type MoveRequest = Schemas["MoveRequest"];

/** All balance groups. */
export const groupsQuery = () => queryOptions("get", "/api/balance/groups/");

/** A group's board. */
export const boardQuery = (name: string) =>
  queryOptions("get", "/api/balance/groups/{name}/", { params: { path: { name } } });

/** A datastore of a large group with its largest disks. */
export const stackQuery = (name: string, id: number) =>
  queryOptions("get", "/api/balance/groups/{name}/datastores/{id}/", { params: { path: { name, id } } });

/** A balance draft as stored. */
export const draftQuery = (id: number) =>
  queryOptions("get", "/api/balance/drafts/{id}/", { params: { path: { id } } });
