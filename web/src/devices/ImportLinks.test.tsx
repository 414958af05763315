import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/problem";
import { job } from "../tests/data";
import { Refusal, renderPage, serve } from "../tests/server";
import { type, user } from "../tests/user";
import { ImportLinks } from "./ImportLinks";

const row = (place: string, outcome: string, text: string) => ({
  place,
  kind: "link",
  subject: "https://10.40.2.10:443",
  outcome,
  text,
});
const answer = (part: Partial<Schemas["ImportAnswer"]>) =>
  job({ kind: "import_rows", result: { dry_run: true, rows: [], done: 0, wrong: 0, ...part } });
const CALL = "POST /api/exchange/import/";
const typeFile = async (text: string) => {
  await type(screen.getByLabelText("Text of the file"), text);
};
const press = async (name: string) => {
  await user.click(screen.getByRole("button", { name }));
};

describe("importing links and grants", () => {
  it("says every row's outcome first, and imports only then", async () => {
    const asked = serve({
      [CALL]: (body: { dry_run: boolean }) =>
        answer({
          dry_run: body.dry_run,
          rows: [row("line 2", body.dry_run ? "would" : "done", "granite is linked")],
          done: body.dry_run ? 0 : 1,
        }),
    });
    renderPage(<ImportLinks />);
    expect(screen.queryByRole("button", { name: "Import" })).toBeNull();
    await typeFile("address,user,password,fingerprint");
    await press("See what would happen");
    expect(await screen.findByRole("status")).toHaveTextContent("Nothing was done yet.");
    await press("Import");
    await waitFor(() => {
      expect(screen.getByRole("status")).toHaveTextContent("1 row done.");
    });
    expect(asked.map((each) => (each.body as { dry_run: boolean }).dry_run)).toEqual([true, false]);
  });

  it("offers what can be done when some rows are wrong, and nothing when all are", async () => {
    let wrong = 1;
    serve({
      [CALL]: () =>
        answer({
          rows: [row("line 2", "wrong", "user is missing."), row("line 3", "would", "answers")],
          wrong,
        }),
    });
    renderPage(<ImportLinks />);
    await typeFile("x");
    await press("See what would happen");
    const rows = within(await screen.findByRole("table", { name: "Rows" })).getAllByRole("row");
    expect(rows[1]).toHaveTextContent("line 2link https://10.40.2.10:443 user is missing.");
    expect(screen.getByRole("button", { name: "Import the rows that can be" })).toBeEnabled();
    wrong = 2;
    await press("See what would happen");
    await waitFor(() => {
      expect(screen.queryByRole("button", { name: /Import the rows/ })).toBeNull();
    });
  });

  it("forgets an outcome once the text changes", async () => {
    serve({ [CALL]: answer({ rows: [row("line 2", "would", "answers")] }) });
    renderPage(<ImportLinks />);
    await typeFile("x");
    await press("See what would happen");
    expect(await screen.findByRole("button", { name: "Import" })).toBeVisible();
    await typeFile("y");
    expect(screen.queryByRole("button", { name: "Import" })).toBeNull();
    expect(screen.queryByRole("table")).toBeNull();
  });

  it("takes a file and knows YAML by its ending", async () => {
    const asked = serve({ [CALL]: answer({ rows: [] }) });
    renderPage(<ImportLinks />);
    // jsdom has files without a way to read them as text.
    const file = Object.assign(new File([], "devices.yaml"), { text: () => Promise.resolve("links: []") });
    fireEvent.change(screen.getByLabelText("File to import"), { target: { files: [file] } });
    await waitFor(() => {
      expect(screen.getByLabelText("Text of the file")).toHaveValue("links: []");
    });
    await press("See what would happen");
    await waitFor(() => {
      expect(asked[0]?.body).toEqual({ text: "links: []", written_as: "yaml", dry_run: true });
    });
  });

  it("says what is wrong with the whole file", async () => {
    const unreadable = new Refusal(422, {
      code: "header_unknown",
      title: "Line 1 has the columns a, b.",
      detail: "Nothing was imported.",
      hint: "address,user,password,fingerprint was expected.",
    });
    serve({ [CALL]: unreadable });
    renderPage(<ImportLinks />);
    await typeFile("a,b");
    await press("See what would happen");
    expect(await screen.findByRole("alert")).toHaveTextContent("Nothing was imported.");
  });
});
