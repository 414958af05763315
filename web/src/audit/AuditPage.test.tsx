import { screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { job } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { user } from "../tests/user";
import { AuditPage, changeOf } from "./AuditPage";

const entry = {
  id: 3,
  at: "2026-11-26T02:00:00Z",
  who: "tobias.wren",
  role: "storage",
  address: "127.0.0.1",
  what: "attach grants change",
  subject: "pool granite/granite-fast",
  before: { quota_bytes: 1 },
  after: { quota_bytes: 2 },
  previous: "",
  digest: "ab",
};
const page = { count: 1, next: null, previous: null, results: [entry] };

describe("the audit trail", () => {
  it("says who changed what of what, and how", async () => {
    serve({ "GET /api/audit/": page });
    renderPage(<AuditPage />);
    expect(await screen.findByText("tobias.wren, storage")).toBeVisible();
    expect(screen.getByText("pool granite/granite-fast")).toBeVisible();
    expect(screen.getByText("quota_bytes: 1 → 2")).toBeVisible();
    expect(screen.getByRole("link", { name: "CSV" })).toHaveAttribute(
      "href",
      "/api/audit/export/?written_as=csv",
    );
  });

  it("tells what is another one, and of what is new all that was given", () => {
    expect(
      changeOf({ before: { size: "1 TiB", name: "a" }, after: { size: "2 TiB", name: "a", ids: [1] } }),
    ).toBe("size: 1 TiB → 2 TiB; ids: none → [1]");
    expect(changeOf({ before: null, after: { kind: "attach", form: {} } })).toBe("kind: attach; form: {}");
    expect(changeOf({ before: { note: "later" }, after: null })).toBe("note: later → none");
    expect(changeOf({ before: null, after: null })).toBe("");
  });

  it.each([
    [null, 0, "none is missing"],
    [null, 1, "none is missing; 1 older one is no longer kept"],
    [4, 0, "▲ entry 4 was changed"],
    [0, 0, "▲ the last entries are missing"],
  ])("proves that it is whole, or says what is not (%s, %s)", async (brokenAt, cut, said) => {
    const result = { entries: 9, broken_at: brokenAt, cut };
    serve({ "GET /api/audit/": page, "POST /api/audit/proof/": job({ kind: "prove_trail", result }) });
    renderPage(<AuditPage />);
    await user.click(await screen.findByRole("button", { name: "Prove that it is whole" }));
    expect(await screen.findByRole("status")).toHaveTextContent(said);
  });
});
