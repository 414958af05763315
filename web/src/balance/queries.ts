import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";

export type Board = Schemas["GroupBoard"];
export type Stack = Schemas["Stack"];
export type BoardPool = Schemas["BoardPool"];
export type Plan = Schemas["BalancePlan"];
export type Move = Schemas["MoveRow"];
export type Alternative = Schemas["Alternative"];
export type Ceilings = Schemas["GroupCeilings"];
export type GroupWeek = Schemas["GroupWeek"];
export type WayRow = Schemas["WayRow"];
export type BarRow = Schemas["BarRow"];
export type Rehearsal = Schemas["RehearsalAnswer"];
export type RehearsalDay = Schemas["DayAnswer"];
export type RehearsedMove = Schemas["RehearsedMoveAnswer"];
export type Rule = Schemas["RuleAnswer"];
export type AllMembers = Schemas["AllMembers"];
export type GroupMembers = Schemas["GroupMembers"];
export type GroupPart = Schemas["GroupPart"];
export type MemberStore = Schemas["MemberStore"];
export type GroupForm = Schemas["GroupFormRequest"];
export type BusyPool = Schemas["BusyPool"];
export type LoudDisk = Schemas["LoudDisk"];
export type PoolNeighbours = Schemas["PoolNeighbours"];
export type FittingDisk = Schemas["FittingDisk"];
export type FairCaps = Schemas["FairCapsPlan"];
export type RuleForm = Schemas["RuleFormRequest"];
/** What is wanted of a group, as a form has it. */
export type Aim = Partial<Pick<Schemas["BalanceFormRequest"], "aim" | "least_gain">>;
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

/** All rules with how they stand. */
export const rulesQuery = () => queryOptions("get", "/api/balance/rules/");

/** All pools, the slowest first. */
export const busyPoolsQuery = () => queryOptions("get", "/api/balance/pools/");

/** Who makes a pool slow, and what fair caps would come to. */
export const neighboursQuery = (id: number) =>
  queryOptions("get", "/api/balance/pools/{id}/neighbours/", { params: { path: { id } } });

/** What fits with the hours of a pool. */
export const apartQuery = (id: number) =>
  queryOptions("get", "/api/balance/pools/{id}/apart/", { params: { path: { id } } });

/** All groups with their members. */
export const membersQuery = () => queryOptions("get", "/api/balance/members/");

/** What it would mean if exactly these datastores were a group's members; ids separated by commas. */
export const membersEffectQuery = (group: string, datastores: string) =>
  queryOptions("get", "/api/balance/members/effect/", { params: { query: { group, datastores } } });

/** What a group is kept under. */
export const ceilingsQuery = (name: string) =>
  queryOptions("get", "/api/balance/groups/{name}/ceilings/", { params: { path: { name } } });

/** The plans that were made for a group as it is. */
export const alternativesQuery = (name: string) =>
  queryOptions("get", "/api/balance/groups/{name}/alternatives/", { params: { path: { name } } });

/** What the clock puts in force and begins is asked for as often as that may change. */
export const CLOCK_MS = 15_000;

/** A group's ways of working over the week. */
export const weekQuery = (name: string) => ({
  ...queryOptions("get", "/api/balance/groups/{name}/week/", { params: { path: { name } } }),
  refetchInterval: CLOCK_MS,
});

/** The last rehearsals of a group's ways. */
export const rehearsalsQuery = (name: string) =>
  queryOptions("get", "/api/balance/groups/{name}/rehearsals/", { params: { path: { name } } });

/** The switch that keeps all groups from acting by themselves. */
export const actsQuery = () => ({
  ...queryOptions("get", "/api/balance/acts/"),
  refetchInterval: CLOCK_MS,
});
