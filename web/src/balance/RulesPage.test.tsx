import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { auditor, person } from "../tests/data";
import { Refusal, renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import type { Rule } from "./queries";
import { RulesPage } from "./RulesPage";

const rule: Rule = {
  id: 3,
  name: "ledger nodes apart",
  number: 2,
  kind: "split",
  among: "machines",
  apart_by: "pool",
  labelled: "",
  machines: [
    { id: 1, name: "ledger-1" },
    { id: 2, name: "ledger-2" },
  ],
  disks: [],
  datastore: "",
  until: null,
  sentence: "Disks of different machines of ledger-1, ledger-2 lie on different pools.",
  by: "ines.marrow",
  at: "2026-11-26T10:00:00Z",
  standing: [
    { group: "quayside", disks: 4, out: 2 },
    { group: "gatehouse", disks: 2, out: 0 },
  ],
};

const answers = { "GET /api/session/": person, "GET /api/balance/rules/": [rule] };

const show = () => {
  renderPage(<RulesPage />, "/balance/rules");
};

const sent = (asked: ReturnType<typeof serve>, key: string) => asked.filter((each) => each.key === key);

describe("rules", () => {
  it("say what they keep and how they stand in each group", async () => {
    serve(answers);
    show();
    const row = await screen.findByRole("group", { name: "ledger nodes apart" });
    expect(row).toHaveTextContent(
      "Disks of different machines of ledger-1, ledger-2 lie on different pools.",
    );
    expect(row).toHaveTextContent("▲ quayside: 2 of 4 disks out of it");
    expect(row).toHaveTextContent("■ gatehouse: kept by 2 disks");
    expect(screen.getByText("1 rule · 1 broken")).toBeVisible();
  });

  it("are written for machines by name and for a label", async () => {
    const asked = serve({ ...answers, "POST /api/balance/rules/": rule });
    show();
    const form = within(await screen.findByRole("form", { name: "New rule" }));
    expect(form.getByRole("button", { name: "Write the rule" })).toBeDisabled();
    await type(form.getByLabelText("Name"), "nodes apart");
    await type(form.getByLabelText("Of what has the label"), "role=db");
    await type(form.getByLabelText("And of the machines"), "db-1,  db-2,");
    await user.click(form.getByRole("button", { name: "Write the rule" }));
    await waitFor(() => {
      expect(sent(asked, "POST /api/balance/rules/")[0]?.body).toEqual({
        name: "nodes apart",
        kind: "split",
        among: "machines",
        apart_by: "pool",
        labelled: "role=db",
        machines: ["db-1", "db-2"],
        disks: [],
        datastore: "",
        until: null,
      });
    });
    await waitFor(() => {
      expect(form.getByLabelText("Name")).toHaveValue("");
    });
  });

  it("that keep together are of disks, not of machines", async () => {
    serve(answers);
    show();
    const form = within(await screen.findByRole("form", { name: "New rule" }));
    await user.click(form.getByLabelText("Keep"));
    await user.click(await screen.findByRole("option", { name: "together, on one datastore" }));
    expect(form.getByLabelText("Which disks")).toHaveTextContent("all disks");
    expect(form.queryByLabelText("On different")).toBeNull();
  });

  it("that have disks stay name no others", async () => {
    const asked = serve({ ...answers, "POST /api/balance/rules/": rule });
    show();
    const form = within(await screen.findByRole("form", { name: "New rule" }));
    await user.click(form.getByLabelText("Keep"));
    await user.click(await screen.findByRole("option", { name: "where they are" }));
    expect(form.queryByLabelText("Which disks")).toBeNull();
    await type(form.getByLabelText("Name"), "licence server stays");
    await type(form.getByLabelText("Of what has the label"), "role=licence");
    await user.click(form.getByRole("button", { name: "Write the rule" }));
    await waitFor(() => {
      expect(sent(asked, "POST /api/balance/rules/")[0]?.body).toMatchObject({ kind: "pin", among: "disks" });
    });
  });

  it("that keep disks off a datastore name it, and may end by themselves", async () => {
    const asked = serve({ ...answers, "POST /api/balance/rules/": rule });
    show();
    const form = within(await screen.findByRole("form", { name: "New rule" }));
    await user.click(form.getByLabelText("Keep"));
    await user.click(await screen.findByRole("option", { name: "off a datastore" }));
    await type(form.getByLabelText("Name"), "not there");
    await type(form.getByLabelText("And of single disks"), "payroll disk 1, payroll disk 2");
    expect(form.getByRole("button", { name: "Write the rule" })).toBeDisabled();
    await type(form.getByLabelText("Which datastore"), "berth-b");
    fireEvent.change(form.getByLabelText("Until"), { target: { value: "2026-12-31T17:00" } });
    await user.click(form.getByRole("button", { name: "Write the rule" }));
    await waitFor(() => {
      expect(sent(asked, "POST /api/balance/rules/")[0]?.body).toMatchObject({
        kind: "off",
        among: "disks",
        disks: ["payroll disk 1", "payroll disk 2"],
        datastore: "berth-b",
        until: new Date("2026-12-31T17:00").toISOString(),
      });
    });
  });

  it("that end are shown with their end, by the reader's clock", async () => {
    const until = new Date("2026-12-31T17:00").toISOString();
    serve({ ...answers, "GET /api/balance/rules/": [{ ...rule, until }] });
    show();
    await user.click(await screen.findByRole("button", { name: "Change ledger nodes apart" }));
    const form = within(screen.getByRole("form", { name: "Change ledger nodes apart" }));
    expect(form.getByLabelText("Until")).toHaveValue("2026-12-31T17:00");
  });

  it("that cannot hold say why, and what was typed stays", async () => {
    const title = "The rule cannot hold. In quayside a, b have 1 place between them for 2 disks.";
    serve({
      ...answers,
      "PUT /api/balance/rules/3/": new Refusal(422, {
        code: "rule_cannot_hold",
        title,
        detail: "",
        hint: "",
      }),
    });
    show();
    await user.click(await screen.findByRole("button", { name: "Change ledger nodes apart" }));
    const form = within(screen.getByRole("form", { name: "Change ledger nodes apart" }));
    expect(form.getByLabelText("And of the machines")).toHaveValue("ledger-1, ledger-2");
    await user.click(form.getByRole("button", { name: "Store the change" }));
    expect(await form.findByRole("alert")).toHaveTextContent("have 1 place between them for 2 disks");
    expect(form.getByLabelText("Name")).toHaveValue("ledger nodes apart");
  });

  it("are taken back as they were seen, once asked", async () => {
    const asked = serve({ ...answers, "DELETE /api/balance/rules/3/": null });
    show();
    await user.click(await screen.findByRole("button", { name: "Take back ledger nodes apart" }));
    expect(sent(asked, "DELETE /api/balance/rules/3/")).toHaveLength(0);
    await user.click(screen.getByRole("button", { name: "Take it back" }));
    await waitFor(() => {
      expect(sent(asked, "DELETE /api/balance/rules/3/")[0]?.ifMatch).toBe('"2"');
    });
  });

  it("are read by the auditor, who writes none", async () => {
    serve({ ...answers, "GET /api/session/": auditor });
    show();
    expect(await screen.findByRole("group", { name: "ledger nodes apart" })).toBeVisible();
    expect(screen.queryByRole("form")).toBeNull();
    expect(screen.queryByRole("button", { name: /Take back/ })).toBeNull();
  });
});
