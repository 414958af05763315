import { screen, within } from "@testing-library/react";
import { expect, it } from "vitest";
import { GIB } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { user } from "../tests/user";
import { Levels } from "./Levels";

it("counts each level in both bases once it is asked for", async () => {
  serve({
    "GET /api/capacity/datastore/9/levels/": {
      levels: [
        { level: "disks", name: "2 disks", facts: [{ what: "promised to guests", size_bytes: 100 * GIB }] },
        {
          level: "datastore",
          name: "berth-a",
          facts: [
            { what: "capacity", size_bytes: 1024 * GIB },
            { what: "free", size_bytes: 24 * GIB },
          ],
        },
      ],
    },
  });
  renderPage(<Levels kind="datastore" id={9} />);
  expect(screen.queryByRole("table")).toBeNull();
  await user.click(screen.getByText(/From guests to drives/));
  const table = await screen.findByRole("table", { name: "From guests to drives" });
  const rows = within(table)
    .getAllByRole("row")
    .map((row) => row.textContent);
  expect(rows[1]).toBe("2 diskspromised to guests100 GiB107 GB");
  expect(rows[2]).toBe("datastore berth-acapacity1.00 TiB1.10 TB");
  expect(rows[3]).toBe("free24.0 GiB25.8 GB");
});
