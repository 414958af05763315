import { render, screen, waitFor, within } from "@testing-library/react";
import { useState } from "react";
import { describe, expect, it } from "vitest";
import { queryOptions } from "../../api/client";
import type { Schemas } from "../../api/problem";
import { summary } from "../../tests/data";
import { renderPage, serve } from "../../tests/server";
import { user } from "../../tests/user";
import { type Column, compareValues, csvOf } from "./columns";
import { DataTable } from "./DataTable";
import { PAGE, useServerRows } from "./useServerRows";
import { useTableUrl } from "./useTableUrl";

interface Thing {
  id: number;
  name: string;
  size: number | null;
}

const COLUMNS: readonly Column<Thing>[] = [
  { key: "name", head: "Name", value: (thing) => thing.name },
  { key: "size", head: "Size", csv: "size_bytes", value: (thing) => thing.size, figures: true },
  { key: "act", head: "", value: () => null, screenOnly: true },
];
const keyOf = (thing: Thing) => thing.name;
const THINGS: Thing[] = [
  { id: 1, name: "berth-10", size: 3 },
  { id: 2, name: "berth-9", size: null },
  { id: 3, name: "berth-b", size: 12 },
];
const names = () =>
  within(screen.getByRole("table"))
    .getAllByRole("row")
    .slice(1)
    .map((row) => row.textContent);

describe("a table", () => {
  it("sorts as people count, one way, then the other, then as given", async () => {
    render(<DataTable name="Things" columns={COLUMNS} rows={THINGS} rowKey={keyOf} empty="none" />);
    await user.click(screen.getByRole("button", { name: "Name" }));
    expect(names().map((text) => text.slice(0, 8))).toEqual(["berth-9–", "berth-10", "berth-b1"]);
    expect(screen.getByRole("columnheader", { name: "Name" })).toHaveAttribute("aria-sort", "ascending");
    await user.click(screen.getByRole("button", { name: "Name" }));
    expect(names()[0]).toContain("berth-b");
    await user.click(screen.getByRole("button", { name: "Name" }));
    expect(names()[0]).toContain("berth-10");
  });

  it("puts what is missing last", () => {
    expect([12, null, 3].sort(compareValues)).toEqual([3, 12, null]);
    expect(["b", "a10", "a9"].sort(compareValues)).toEqual(["a9", "a10", "b"]);
  });

  it("writes CSV under the names that have the unit, without what is on screen only", () => {
    const { heads, rows } = csvOf(COLUMNS, THINGS);
    expect(heads).toEqual(["name", "size_bytes"]);
    expect(rows()[1]).toEqual(["berth-9", null]);
  });

  it("keeps rows chosen by key while others are shown", async () => {
    const Chosen = () => {
      const [selected, onSelect] = useState<ReadonlySet<string>>(new Set());
      const [few, setFew] = useState(false);
      return (
        <>
          <button
            onClick={() => {
              setFew(!few);
            }}
          >
            others
          </button>
          <DataTable
            name="Things"
            columns={COLUMNS}
            rows={few ? THINGS.slice(2) : THINGS}
            rowKey={keyOf}
            empty="none"
            selected={selected}
            onSelect={onSelect}
          />
        </>
      );
    };
    render(<Chosen />);
    await user.click(screen.getByRole("checkbox", { name: "Choose berth-9" }));
    await user.click(screen.getByRole("button", { name: "others" }));
    await user.click(screen.getByRole("checkbox", { name: "Choose all things shown" }));
    expect(screen.getByText("2 chosen")).toBeVisible();
    await user.click(screen.getByRole("button", { name: "others" }));
    expect(screen.getByRole("checkbox", { name: "Choose berth-9" })).toBeChecked();
    expect(screen.getByRole("checkbox", { name: "Choose berth-10" })).not.toBeChecked();
  });

  it("draws of many rows those in sight, and says of each its place", () => {
    const many = Array.from({ length: 20_000 }, (_, n) => ({ id: n, name: `disk-${String(n)}`, size: n }));
    render(<DataTable name="Things" columns={COLUMNS} rows={many} rowKey={keyOf} empty="none" />);
    const rows = within(screen.getByRole("table")).getAllByRole("row");
    expect(rows.length).toBeLessThan(60);
    expect(rows[1]).toHaveAttribute("aria-rowindex", "2");
  });

  it("says what to do first where there is no row", () => {
    render(
      <DataTable name="Things" columns={COLUMNS} rows={[]} rowKey={keyOf} empty="Link a device first." />,
    );
    expect(screen.getByText("Link a device first.")).toBeVisible();
  });
});

const LOTS: readonly Column<Schemas["LotSummary"]>[] = [
  { key: "id", head: "Lot", value: (lot) => lot.id, cell: (lot) => `Lot ${String(lot.id)}` },
];
const lotKey = (lot: Schemas["LotSummary"]) => String(lot.id);
const TOTAL = 20_000;

function Served() {
  const url = useTableUrl(["text"]);
  const ordering = url.sorting ? `${url.sorting.descending ? "-" : ""}${url.sorting.key}` : "";
  const server = useServerRows<Schemas["LotSummary"]>(
    (page) => queryOptions("get", "/api/lots/", { params: { query: { page, page_size: PAGE, ordering } } }),
    url.at,
  );
  return <DataTable name="Lots" columns={LOTS} server={server} url={url} rowKey={lotKey} empty="none" />;
}

describe("a table of the server's rows", () => {
  const answers = {
    "GET /api/lots/": (_body: unknown, query: URLSearchParams) => ({
      count: TOTAL,
      next: null,
      previous: null,
      results: Array.from({ length: PAGE }, (_, n) =>
        summary({ id: (Number(query.get("page")) - 1) * PAGE + n + 1 }),
      ),
    }),
  };

  it("asks for the pages in sight alone, and sorts by asking", async () => {
    const asked = serve(answers);
    renderPage(<Served />);
    expect(await screen.findByText("Lot 1")).toBeVisible();
    expect(asked.map((each) => each.query)).toEqual(["?page=1&page_size=100&ordering="]);
    await user.click(screen.getByRole("button", { name: "Lot" }));
    await waitFor(() => {
      expect(screen.getByLabelText("address")).toHaveTextContent("/?sort=id");
    });
    await waitFor(() => {
      expect(asked.at(-1)?.query).toBe("?page=1&page_size=100&ordering=id");
    });
  });

  it("opens where the address says", async () => {
    const asked = serve(answers);
    renderPage(<Served />, "/?at=15000");
    await waitFor(() => {
      expect(asked.some((each) => each.query.startsWith("?page=151&"))).toBe(true);
    });
  });
});
