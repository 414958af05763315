import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { auditor, person } from "../tests/data";
import { Refusal, renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { GroupsPage } from "./GroupsPage";
import type { AllMembers, GroupMembers, MemberStore } from "./queries";

const store = (id: number, name: string, kind: string, group: string): MemberStore => ({
  id,
  name,
  kind,
  capacity_bytes: 2 * 1024 ** 4,
  pool: kind === "file" ? "shale-home" : "granite-fast",
  array: kind === "file" ? "shale" : "granite",
  group,
  clusters: ["quayside"],
  held_by: "",
  held_at: null,
});

const [berthA, berthB, sand, spare] = [
  store(1, "berth-a", "block", "quayside"),
  store(2, "berth-b", "block", "quayside"),
  store(3, "sand-01", "file", "quayside"),
  store(4, "spare", "block", ""),
] as const;

const blocks = {
  kind: "block",
  called: "on volumes",
  clusters: ["quayside"],
  datastores: [berthA, berthB],
  remarks: ["All of it lies in granite-fast: moves even out fill, and make nothing faster."],
};
const files = {
  kind: "file",
  called: "on file storage",
  clusters: ["quayside"],
  datastores: [sand],
  remarks: [],
};

const quayside: GroupMembers = {
  id: 7,
  name: "quayside",
  number: 3,
  joins: "quayside",
  by: "ines.marrow",
  at: "2026-11-26T10:00:00Z",
  parts: [blocks, files],
  lost_rules: ["“nodes apart” with 2 disks"],
};

const all: AllMembers = {
  groups: [quayside],
  alone: [spare],
  clusters: ["gatehouse", "quayside"],
};

const answers = {
  "GET /api/session/": person,
  "GET /api/balance/members/": all,
  "GET /api/balance/members/effect/": {
    parts: [blocks],
    changes: ["sand-01 leaves quayside for no group."],
  },
};

const show = () => {
  renderPage(<GroupsPage />, "/balance/groups");
};

const sent = (asked: ReturnType<typeof serve>, key: string) => asked.filter((each) => each.key === key);

describe("groups", () => {
  it("show who trades with whom, what that lacks, and what is in none", async () => {
    serve(answers);
    show();
    const group = within(await screen.findByRole("region", { name: "Group quayside" }));
    expect(group.getByText(/2 parts that trade apart/)).toBeVisible();
    const part = group.getByRole("group", { name: "berth-a, berth-b" });
    expect(part).toHaveTextContent("2 datastores on volumes · 4.00 TiB · quayside");
    expect(part).toHaveTextContent("granite-fast berth-a berth-b");
    expect(part).toHaveTextContent("◪ All of it lies in granite-fast");
    expect(screen.getByRole("region", { name: "In no group" })).toHaveTextContent("spare");
    expect(screen.getByText("1 group · 1 datastore in none")).toBeVisible();
  });

  it("are made of what is ticked, once it was said what that means", async () => {
    const asked = serve({ ...answers, "POST /api/balance/groups/": quayside });
    show();
    const form = within(await screen.findByRole("form", { name: "New group" }));
    await type(form.getByLabelText("Name"), "harbour");
    expect(form.getByRole("button", { name: "Make the group" })).toBeDisabled();
    await type(form.getByRole("textbox", { name: "Datastores" }), "granite");
    expect(form.queryByRole("checkbox", { name: /^sand-01/ })).toBeNull();
    await user.click(form.getByRole("checkbox", { name: /^berth-a/ }));
    await user.click(form.getByRole("checkbox", { name: /^spare/ }));
    const effect = await screen.findByRole("status", { name: "What it would be" });
    expect(effect).toHaveTextContent("◪ sand-01 leaves quayside for no group.");
    await waitFor(() => {
      expect(sent(asked, "GET /api/balance/members/effect/").at(-1)?.query).toBe("?group=&datastores=1%2C4");
    });
    await user.click(form.getByRole("button", { name: "Make the group" }));
    await waitFor(() => {
      expect(sent(asked, "POST /api/balance/groups/")[0]?.body).toEqual({
        name: "harbour",
        joins: "",
        datastores: [1, 4],
      });
    });
  });

  it("are changed as they were seen, and what was typed stays where somebody was faster", async () => {
    const faster = new Refusal(412, {
      code: "changed_since",
      title: "Group quayside was changed since you looked, by tobias.wren.",
    });
    const asked = serve({ ...answers, "PUT /api/balance/groups/quayside/members/": faster });
    show();
    await user.click(await screen.findByRole("button", { name: "Change quayside" }));
    const form = within(screen.getByRole("form", { name: "Change quayside" }));
    expect(form.getByRole("checkbox", { name: /^sand-01/ })).toBeChecked();
    await user.click(form.getByRole("checkbox", { name: /^sand-01/ }));
    await user.click(form.getByRole("button", { name: "Store the change" }));
    expect(await form.findByRole("alert")).toHaveTextContent("changed since you looked, by tobias.wren");
    const [put] = sent(asked, "PUT /api/balance/groups/quayside/members/");
    expect(put?.ifMatch).toBe('"3"');
    expect(put?.body).toEqual({ name: "quayside", joins: "quayside", datastores: [1, 2] });
    expect(form.getByRole("checkbox", { name: /^sand-01/ })).not.toBeChecked();
  });

  it("are retired once it was read which rules nobody looks after then", async () => {
    const asked = serve({ ...answers, "DELETE /api/balance/groups/quayside/": null });
    show();
    await user.click(await screen.findByRole("button", { name: "Retire quayside" }));
    const question = within(screen.getByRole("group", { name: "Retire quayside" }));
    expect(question.getByText(/Nobody looks after “nodes apart” with 2 disks/)).toBeVisible();
    await user.click(question.getByRole("button", { name: "Retire it" }));
    await waitFor(() => {
      expect(sent(asked, "DELETE /api/balance/groups/quayside/")).toHaveLength(1);
    });
  });

  it("hold a datastore empty until it is released", async () => {
    const held = { ...berthA, held_by: "tobias.wren", held_at: "2026-11-26T10:00:00Z" };
    const group = { ...quayside, parts: [{ ...blocks, datastores: [held, berthB] }] };
    const asked = serve({
      ...answers,
      "GET /api/balance/members/": {
        ...all,
        groups: [group],
        alone: [{ ...spare, held_by: "tobias.wren", held_at: "2026-11-26T10:00:00Z" }],
      },
      "POST /api/balance/held/": null,
      "DELETE /api/balance/held/1/": null,
    });
    show();
    const row = within(await screen.findByRole("group", { name: "berth-a is held empty" }));
    expect(row.getByText(/held empty by tobias.wren/)).toBeVisible();
    // What left its group since can be released as well.
    expect(screen.getByRole("button", { name: "Release spare" })).toBeVisible();
    await user.click(row.getByRole("button", { name: "Release berth-a" }));
    await user.click(screen.getByRole("button", { name: "Empty a datastore of quayside" }));
    const form = within(screen.getByRole("form", { name: "Empty a datastore of quayside" }));
    expect(form.getByLabelText("Datastore")).toHaveTextContent("berth-b");
    await user.click(form.getByRole("button", { name: "Hold it empty" }));
    await waitFor(() => {
      expect(sent(asked, "POST /api/balance/held/")[0]?.body).toEqual({ datastore: 2 });
    });
    expect(sent(asked, "DELETE /api/balance/held/1/")).toHaveLength(1);
  });

  it("are shown to those who read only, without a form", async () => {
    serve({ ...answers, "GET /api/session/": auditor });
    show();
    expect(await screen.findByRole("region", { name: "Group quayside" })).toBeVisible();
    expect(screen.queryByRole("form")).toBeNull();
    expect(screen.queryByRole("button", { name: /^(Change|Retire|Empty)/ })).toBeNull();
  });
});
