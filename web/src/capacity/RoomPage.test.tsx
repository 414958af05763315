import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { GIB, lot, person } from "../tests/data";
import { renderPage, serve } from "../tests/server";
import { user } from "../tests/user";
import { RoomPage } from "./RoomPage";

const plan = {
  days: 90,
  places: [
    {
      kind: "pool",
      id: 4,
      name: "basalt-deep",
      early: 12,
      early_then: 61,
      need_bytes: 4000 * GIB,
      gets_bytes: 3072 * GIB,
      short_bytes: 928 * GIB,
    },
    {
      kind: "datastore",
      id: 1,
      name: "berth-a",
      early: 0,
      early_then: 93,
      need_bytes: 900 * GIB,
      gets_bytes: 900 * GIB,
      short_bytes: 0,
    },
  ],
  acts: [
    {
      what: "slate-02: its array holds blocks of what is no longer there",
      place: "basalt-deep",
      size_bytes: 3072 * GIB,
      hours: 4.2,
      certainty: "measured",
      draft: { kind: "return_blocks" as const, form: { datastores: [9] }, action: "Give it back" },
      typed: "",
    },
    {
      what: "crane-old disk 1",
      place: "berth-a",
      size_bytes: 900 * GIB,
      hours: 0,
      certainty: "measured",
      draft: { kind: "delete_disks" as const, form: { disks: [5] }, action: "Delete it, by name" },
      typed: "crane-old disk 1",
    },
  ],
};
const known = { "GET /api/session/": person, "POST /api/lots/": lot(), "GET /api/lots/9/": lot() };

describe("the room plan", () => {
  it("shows what is short, what it gets, and what is lacking still", async () => {
    serve({ ...known, "GET /api/capacity/room/": plan });
    renderPage(<RoomPage />);
    const short = await screen.findByRole("region", { name: "What is short" });
    expect(within(short).getByText("12 days → 61 days")).toBeVisible();
    expect(within(short).getByText("lacks 928 GiB still")).toBeVisible();
    expect(screen.getByText(/Nothing known gives basalt-deep all that is needed/)).toBeVisible();
    const acts = screen.getByRole("region", { name: "What is done" });
    expect(within(acts).getByText(/the cheapest 2 lots that do it/)).toHaveTextContent("about 4.2 h");
  });

  it("drafts the lot of an act, with its name where that is typed", async () => {
    const asked = serve({ ...known, "GET /api/capacity/room/": plan });
    renderPage(<RoomPage />);
    await user.click(await screen.findByRole("button", { name: "Delete it, by name" }));
    const name = screen.getByRole("textbox", { name: /Type crane-old disk 1/ });
    await user.click(name);
    await user.paste("crane-old disk 1");
    await user.click(screen.getByRole("button", { name: "Draft lot" }));
    await waitFor(() => {
      expect(asked.find((each) => each.key === "POST /api/lots/")?.body).toEqual({
        kind: "delete_disks",
        form: { disks: [5], confirm: "crane-old disk 1" },
      });
    });
  });

  it("asks for what is wanted, and says where nothing has to be done", async () => {
    const asked = serve({ ...known, "GET /api/capacity/room/": { days: 90, places: [], acts: [] } });
    renderPage(<RoomPage />);
    expect(await screen.findByText(/Everything lasts 90 days or longer/)).toBeVisible();
    await user.click(screen.getByRole("checkbox", { name: /deleted for good/ }));
    await waitFor(() => {
      expect(asked.findLast((each) => each.key === "GET /api/capacity/room/")?.query).toContain(
        "deleting=true",
      );
    });
  });
});
