import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { auditor, GIB, lot, person } from "../tests/data";
import { Refusal, renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { PoliciesPage } from "./PoliciesPage";
import type { Board, Policy } from "./queries";

const board: Board = {
  columns: [
    { id: 1, name: "berth-a", pool: "fast", array: "granite" },
    { id: 2, name: "berth-c", pool: "mixed", array: "granite" },
  ],
  policies: [
    {
      id: 7,
      name: "Berth-critical",
      sentence: "On flash.",
      number: 2,
      disks: 3,
      out: 1,
      not_judged: 0,
      cells: [
        { store: 1, answer: "has it", disks: 2, out: 0 },
        { store: 2, answer: "cannot", disks: 1, out: 1 },
      ],
    },
  ],
  kinds: [
    {
      kind: "media",
      part: "kept how",
      label: "media",
      several: false,
      how: "choice",
      unit: "",
      least: 0,
      most: 0,
      example: "",
      options: [
        { value: "SSD", label: "flash", places: 1 },
        { value: "HDD", label: "spinning drives", places: 0 },
      ],
    },
    {
      kind: "paths",
      part: "where",
      label: "paths from every host",
      several: false,
      how: "number",
      unit: "paths",
      least: 1,
      most: 64,
      example: "",
      options: [],
    },
  ],
  disks: 9,
  with_policy: 3,
  settling: [
    {
      group: "quayside",
      out: 3,
      settled: 2,
      limits: [[9, 400, 0]],
      moves: [
        [7, 1],
        [8, 2],
        [9, 1],
      ],
      moved_bytes: 400 * 2 ** 30,
      bound_bytes: 300 * 2 ** 30,
      over: 1,
      left_over: 0,
      stays: ["1 stays, as it is pinned"],
    },
  ],
};
const version = (number: number, value: string) => ({
  number,
  sentence: value === "SSD" ? "On flash." : "On spinning drives.",
  changes: number === 1 ? [] : ["asks besides: on flash", "no longer: on spinning drives"],
  requirements: [{ kind: "media", value }],
  note: "",
  by: "ines.marrow",
  at: "2026-11-24T10:00:00Z",
});
const policy: Policy = {
  id: 7,
  name: "Berth-critical",
  number: 2,
  versions: [version(2, "SSD"), version(1, "HDD")],
  given: [{ id: 3, scope: "label", name: "tier=critical", by: "ines.marrow", at: "2026-11-24T10:00:00Z" }],
};
const effect = {
  sentence: "On flash, at least 1 path from every host.",
  cells: [
    { store: 1, answer: "cannot" as const, disks: 2, out: 2 },
    { store: 2, answer: "cannot" as const, disks: 1, out: 1 },
  ],
  newly_out: ["customs one", "customs two"],
  newly_out_count: 2,
  newly_in_count: 0,
  out_count: 3,
  move_bytes: 200 * GIB,
  homeless_count: 0,
};
const answers = { "GET /api/session/": person, "GET /api/policies/": board, "GET /api/policies/7/": policy };

describe("policies", () => {
  it("are a board that says where each is served and which disks are out", async () => {
    serve({
      ...answers,
      "GET /api/policies/7/places/2/": {
        policy: "Berth-critical",
        store: 2,
        name: "berth-c",
        answer: "cannot",
        reasons: ["its pool has spinning drives"],
        disks: ["payroll one"],
      },
    } as Parameters<typeof serve>[0]);
    renderPage(<PoliciesPage />);
    expect(await screen.findByText("1 policy · 3 of 9 disks have one")).toBeVisible();
    expect(screen.getByText("▲ 1 disk out of policy")).toBeVisible();
    const row = screen.getByRole("row", { name: /^Berth-critical/ });
    expect(
      within(row).getByRole("button", { name: "Berth-critical on berth-a: has it, 2 disks there" }),
    ).toHaveTextContent("2");
    await user.click(
      within(row).getByRole("button", {
        name: "Berth-critical on berth-c: cannot, 1 disk there, 1 out of policy",
      }),
    );
    expect(await screen.findByRole("status", { name: "Why" })).toHaveTextContent(
      "its pool has spinning drives",
    );
  });

  it("show what a change would do while it is typed, and store it as the version that was seen", async () => {
    const asked = serve({
      ...answers,
      "GET /api/policies/effect/": effect,
      "PUT /api/policies/7/": { ...policy, number: 3 },
    });
    renderPage(<PoliciesPage />);
    await user.click(await screen.findByLabelText("ask more of where"));
    await user.click(screen.getByRole("option", { name: "paths from every host" }));
    const told = await screen.findByRole("status", { name: "What it would do" });
    expect(told).toHaveTextContent("2 more disks go out of policy: customs one, customs two.");
    expect(told).toHaveTextContent("200 GiB to move");
    // The board is as it would be.
    expect(
      screen.getByRole("button", {
        name: "Berth-critical on berth-a: cannot, 2 disks there, 2 out of policy",
      }),
    ).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Ask this from now on" }));
    await waitFor(() => {
      const put = asked.find(({ key }) => key === "PUT /api/policies/7/");
      expect([put?.ifMatch, put?.body]).toEqual([
        '"2"',
        {
          requirements: [
            { kind: "media", value: "SSD" },
            { kind: "paths", value: 1 },
          ],
          note: "",
        },
      ]);
    });
  });

  it("say what does not fit where it is typed, and store nothing", async () => {
    const refused = new Refusal(422, {
      status: 422,
      code: "requirement_value",
      title: "paths from every host: say a number, 1 to 64 paths.",
      detail: "Nothing was stored.",
      hint: "",
    });
    serve({ ...answers, "GET /api/policies/effect/": refused });
    renderPage(<PoliciesPage />);
    await user.click(await screen.findByLabelText("ask more of where"));
    await user.click(screen.getByRole("option", { name: "paths from every host" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("say a number, 1 to 64 paths");
  });

  it("are copied as new ones, and say what a version changed", async () => {
    const asked = serve({
      ...answers,
      "GET /api/policies/effect/": effect,
      "POST /api/policies/": { ...policy, id: 8, name: "Berth-spare" },
      "GET /api/policies/8/": { ...policy, id: 8, name: "Berth-spare" },
    });
    renderPage(<PoliciesPage />, "/?policy=7");
    await user.click(await screen.findByText("Versions (2)"));
    expect(screen.getByRole("list", { name: "Versions" })).toHaveTextContent("no longer: on spinning drives");
    await user.click(screen.getByRole("link", { name: "Copy" }));
    const form = await screen.findByRole("form", { name: "New policy" });
    await type(within(form).getByLabelText("Name"), "Berth-spare");
    await user.click(within(form).getByRole("button", { name: "Make it" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/policies/")?.body).toEqual({
        name: "Berth-spare",
        requirements: [{ kind: "media", value: "SSD" }],
        note: "",
      });
    });
  });

  it("grey what no linked device could meet", async () => {
    serve(answers);
    renderPage(<PoliciesPage />);
    await user.click(await screen.findByLabelText("media"));
    const option = screen.getByRole("option", { name: /spinning drives/ });
    expect(option).toHaveAttribute("aria-disabled", "true");
    expect(option).toHaveTextContent("no linked device could meet it");
  });

  it("are only looked at by auditors", async () => {
    serve({ ...answers, "GET /api/session/": auditor });
    renderPage(<PoliciesPage />);
    expect(await screen.findByText("label tier=critical")).toBeVisible();
    expect(screen.queryByRole("button", { name: /New policy|Retire|Ask|Give|Take/ })).toBeNull();
  });

  it("come from a file once it was said what each would do", async () => {
    const row = {
      name: "Berth-critical",
      does: "asks otherwise",
      sentence: "On flash.",
      labels_given: ["tier=critical"],
      labels_taken: [],
      newly_out: 1,
      out: 2,
      move_bytes: 200 * GIB,
    };
    const asked = serve({ ...answers, "POST /api/policies/import/": [row] });
    renderPage(<PoliciesPage />, "/policies?policy=file");
    await user.click(await screen.findByRole("textbox", { name: "YAML" }));
    await user.paste("format: movelot-policies");
    expect(screen.getByRole("button", { name: "Do it" })).toBeDisabled();
    await user.click(screen.getByRole("button", { name: "Say what it would do" }));
    const table = await screen.findByRole("table", { name: "What the file would do" });
    expect(table).toHaveTextContent("2 disks out (1 newly), 200 GiB to move");
    expect(table).toHaveTextContent("+ tier=critical");
    await user.click(screen.getByRole("button", { name: "Do it" }));
    expect(await screen.findByText(/the board follows/)).toBeVisible();
    const sent = asked.filter(({ key }) => key === "POST /api/policies/import/").map(({ body }) => body);
    expect(sent).toEqual([
      { text: "format: movelot-policies", dry_run: true },
      { text: "format: movelot-policies", dry_run: false },
    ]);
  });
});

describe("disks out of policy", () => {
  it("are settled by one plan a group, beside the least that any plan moves", async () => {
    const asked = serve({ ...answers, "POST /api/lots/": lot(), "GET /api/lots/9/": lot() });
    renderPage(<PoliciesPage />);
    expect(await screen.findByText(/one plan settles 2 of 3 disks/)).toHaveTextContent(
      "quayside one plan settles 2 of 3 disks by 3 moves and limits of 1 disk, 400 GiB in all; none that settles as many moves less than 300 GiB; 1 of 1 passed ceiling holds afterwards; 1 stays, as it is pinned",
    );
    await user.click(screen.getByRole("button", { name: "Settle quayside" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
        kind: "balance",
        form: {
          group: "quayside",
          moves: [
            { disk: 7, target: 1 },
            { disk: 8, target: 2 },
            { disk: 9, target: 1 },
          ],
          limits: [{ disk: 9, cap: 400, floor: 0 }],
        },
      });
    });
  });
});
