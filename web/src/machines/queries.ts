import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";
import { PAGE } from "../parts/table/useServerRows";
import type { Sorting } from "../parts/table/useTableUrl";

export type MachineRow = Schemas["MachineRow"];
export type Machine = Schemas["MachineAnswer"];
export type MachineDisk = Schemas["MachineDisk"];

/** What the list is filtered by, as its address has it. */
export const FILTERS = ["text", "cluster", "power", "state", "label", "datastore"] as const;
export type Filters = Record<(typeof FILTERS)[number], string>;

export const orderingOf = (sorting: Sorting | null): string =>
  sorting ? `${sorting.descending ? "-" : ""}${sorting.key}` : "";

const STATES = ["in policy", "out of policy", "not judged", "no policy"] as const;
export const stateOf = (text: string) => STATES.find((state) => state === text);

/** Only what is filtered by is asked for: an empty text would be a value. */
export const askedOf = (filters: Filters) => {
  const { text, cluster, power, label, datastore } = filters;
  const given = Object.entries({ text, cluster, power, label, datastore }).filter(([, value]) => value);
  const state = stateOf(filters.state);
  return { ...(Object.fromEntries(given) as Partial<Omit<Filters, "state">>), ...(state ? { state } : {}) };
};

export const machinesQuery = (page: number, ordering: string, filters: Filters) =>
  queryOptions("get", "/api/machines/", {
    params: { query: { page, page_size: PAGE, ordering, ...askedOf(filters) } },
  });

export const machineQuery = (id: number) =>
  queryOptions("get", "/api/machines/{id}/", { params: { path: { id } } });

/** All that are in force, to be chosen from. */
export const policiesQuery = () => queryOptions("get", "/api/policies/");

/** The hosts of a cluster, by name. */
export const hostsOfQuery = (cluster: string) =>
  queryOptions("get", "/api/machines/hosts/", {
    params: { query: { cluster, ordering: "name", page_size: 200 } },
  });
