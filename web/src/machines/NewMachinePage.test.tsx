import { screen, waitFor, within } from "@testing-library/react";
import { expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { GIB, lot, person } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { NewMachinePage } from "./NewMachinePage";

type Form = Schemas["NewMachineForm"];
const place = (id: number, name: string, part: Partial<Schemas["PlaceRow"]> = {}): Schemas["PlaceRow"] => ({
  id,
  name,
  pool: "granite-fast",
  fits: true,
  chosen: false,
  verdict: "fits",
  fill: 0.66,
  peak_ms: 8.6,
  reasons: [],
  ...part,
});
const FORM: Form = {
  cluster: "quayside",
  name: "crane-plan-01",
  count: "1",
  processors: "4",
  memory: "16 GiB",
  disks: [{ size: "80 GiB", policy: null, iops: "", datastore: null }],
  host: "",
  then: "on",
};
const plan: Schemas["NewMachinePlan"] = {
  cluster: "quayside",
  names: ["crane-plan-01"],
  hosts: ["quay-04"],
  disks: [
    {
      size_bytes: 80 * GIB,
      policy: "",
      store: 4,
      stores: ["berth-b"],
      fill_before: 0.56,
      fill: 0.66,
      peak_before_ms: 8.2,
      peak_ms: 8.6,
      expected: "no load is expected: nothing like it is measured",
      places: [
        place(4, "berth-b", { chosen: true }),
        place(5, "chalk-vd"),
        place(6, "berth-c", {
          fits: false,
          verdict: "not in policy",
          reasons: ["its pool has spinning drives"],
        }),
      ],
      fitting: 2,
    },
  ],
  problems: [{ field: "disks.0.iops", code: "x", message: "“many” is not a number of IOPS.", hint: "" }],
  total_bytes: 80 * GIB,
};
const answer = (form: Form = FORM): Schemas["NewMachineDraft"] => ({
  lot: lot({ version: "v1" }),
  form,
  plan,
});
const answers = {
  "GET /api/session/": person,
  "GET /api/machines/drafts/9/": answer(),
  "PUT /api/machines/drafts/9/": (body: Form) => answer(body),
  "GET /api/machines/clusters/": ["quayside"],
  "GET /api/machines/hosts/": { count: 0, next: null, previous: null, results: [] },
  "GET /api/policies/": { columns: [], policies: [], kinds: [], disks: 0, with_policy: 0, settling: [] },
  "GET /api/images/sources/": [],
};
const stored = (asked: ReturnType<typeof serve>) =>
  asked.filter((each) => each.key === "PUT /api/machines/drafts/9/").at(-1)?.body as Form | undefined;

it("shows where each disk goes, what becomes of that, and why not elsewhere", async () => {
  serve(answers);
  renderPage(<NewMachinePage />, "/machines/new?lot=9");
  const disks = await screen.findByRole("region", { name: "Disks" });
  expect(disks).toHaveTextContent("berth-b");
  expect(disks).toHaveTextContent("56 % → 66 %");
  expect(disks).toHaveTextContent("8.2 ms → 8.6 ms");
  expect(disks).toHaveTextContent("is not a number of IOPS");
  const places = screen.getByRole("region", { name: "Places for disk 1" });
  expect(places).toHaveTextContent("2 of 3 fit");
  expect(within(places).getByText("its pool has spinning drives")).toBeVisible();
  expect(within(places).getByRole("button", { name: "Put disk 1 on berth-c" })).toBeDisabled();
});

it("takes processors and memory from the package of the image that a disk is made from", async () => {
  const source = { id: 4, name: "berth-scribe", size_bytes: 2 ** 32, datastore: "berth-b" };
  const asked = serve({
    ...answers,
    "GET /api/images/sources/": [{ ...source, processors: 6, memory_bytes: 2 ** 31 }],
  });
  renderPage(<NewMachinePage />, "/machines/new?lot=9");
  await user.click(await screen.findByRole("combobox", { name: "Made from, disk 1" }));
  await user.click(await screen.findByRole("option", { name: "berth-scribe, on berth-b" }));
  await waitFor(() => {
    expect(stored(asked)).toMatchObject({ processors: "6", memory: "2048 MiB" });
  });
  expect(stored(asked)?.disks[0]?.contents).toBe("image:4");
});

it("stores a place that was chosen, disks that are added and left out", async () => {
  const asked = serve(answers);
  renderPage(<NewMachinePage />, "/machines/new?lot=9");
  await user.click(await screen.findByRole("button", { name: "Put disk 1 on chalk-vd" }));
  await waitFor(() => {
    expect(stored(asked)?.disks[0]?.datastore).toBe(5);
  });
  await user.click(screen.getByRole("button", { name: "Add a disk" }));
  await type(await screen.findByRole("textbox", { name: "Size of disk 2" }), "200");
  await waitFor(() => {
    expect(stored(asked)?.disks.map((disk) => disk.size)).toEqual(["80 GiB", "200"]);
  });
  await user.click(screen.getByRole("button", { name: "Leave disk 1 out" }));
  await waitFor(() => {
    expect(stored(asked)?.disks.map((disk) => disk.size)).toEqual(["200"]);
  });
});
