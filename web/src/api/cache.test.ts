import { QueryClient } from "@tanstack/react-query";
import { expect, it } from "vitest";
import type { Schemas } from "./problem";
import { later, serve } from "../tests/server";
import { putAnswer } from "./cache";
import { queryOptions } from "./client";

it("keeps a newer answer from being overwritten by an older question that is still on its way", async () => {
  const old = later<Schemas["GroupRow"][]>();
  serve({ "GET /api/balance/groups/": () => old.promise });
  const queries = new QueryClient();
  const groups = queryOptions("get", "/api/balance/groups/");
  const asking = queries.query(groups).catch(() => "given up");
  const newer = [
    { id: 1, name: "newer", datastores: 1, fill_ceiling: 0.8, latency_ceiling_ms: 9, in_force: "" },
  ];
  await putAnswer(queries, groups.queryKey, newer);
  old.come([]);
  await asking;
  expect(queries.getQueryData(groups.queryKey)).toEqual(newer);
});
