import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";

export type Image = Schemas["ImageAnswer"];
export type Images = Schemas["ImagesAnswer"];
export type Depot = Schemas["DepotAnswer"];

const ASKED_EVERY_MS = 1000;

/** Whether a job is at it. */
const underWay = ({ state }: Image) => state === "receiving" || state === "received";

/** All images and depots; asked again while any is received or checked. */
export const imagesQuery = () => ({
  ...queryOptions("get", "/api/images/"),
  refetchInterval: (query: { state: { data: Images | undefined } }) =>
    query.state.data?.images.some(underWay) ? ASKED_EVERY_MS : (false as const),
});

/** Where images can be kept: the datastores, by name. */
export const datastoresQuery = () =>
  queryOptions("get", "/api/machines/datastores/", {
    params: { query: { ordering: "name", page_size: 200 } },
  });
