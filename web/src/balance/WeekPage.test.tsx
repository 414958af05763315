import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { auditor, job, person } from "../tests/data";
import { Refusal, renderPage, serve, type Answers } from "../tests/server";
import { type, user } from "../tests/user";
import type { GroupWeek, Rehearsal } from "./queries";
import { WeekPage } from "./WeekPage";

const TIB = 1024 ** 4;
const none = { most_bytes: null, most_copies: null, fill_ceiling: null, latency_ceiling_ms: null };
const NIGHT = { ...none, name: "Night", does: "act" as const, most_bytes: 2 * TIB, most_copies: 2 };
const DAY = { ...none, name: "Day", does: "advise" as const };

const week = (part: Partial<GroupWeek> = {}): GroupWeek => ({
  group: "quayside",
  number: 3,
  zone: "Europe/Oslo",
  ways: [NIGHT, DAY],
  bars: [
    { way: "Night", begins: 20, hours: 9 },
    { way: "Day", begins: 29, hours: 15 },
  ],
  exceptions: [],
  now: { way: "Night", does: "act", until: "2026-12-01T04:00:00Z", once: false, next_way: "Day" },
  acting: {
    wanted: true,
    let_by: "",
    why_not: "Nobody let it act as it is now.",
    rehearsal: null,
    seen_by: "",
  },
  latency_ms: Array.from({ length: 168 }, (_, hour) => (hour === 34 ? 12.5 : null)),
  ceilings_ms: Array<number>(168).fill(9),
  own_fill_ceiling: 0.82,
  own_latency_ceiling_ms: 9,
  by: "ines.marrow",
  at: "2026-11-30T10:00:00Z",
  ...part,
});

const rehearsal = (part: Partial<Rehearsal> = {}): Rehearsal => ({
  id: 5,
  group: "quayside",
  by: "ines.marrow",
  at: "2026-11-30T10:00:00Z",
  seen_by: "",
  seen_at: null,
  fits: true,
  document: {
    days: [
      {
        day: "2026-11-28",
        over: 8,
        slow: 2,
        over_rehearsed: 8,
        slow_rehearsed: 2,
        moves: 2,
        moved_bytes: TIB,
      },
      { day: "2026-11-29", over: 8, slow: 2, over_rehearsed: 0, slow_rehearsed: 0, moves: 0, moved_bytes: 0 },
    ],
    moves: [
      {
        at: "2026-11-28T19:00:00Z",
        disk: "payroll disk 1",
        source: "berth-a",
        target: "berth-b",
        size_bytes: TIB / 2,
        taken_back: true,
      },
    ],
    moves_count: 2,
    moved_bytes: TIB,
    taken_back: 1,
    hours_over: 16,
    hours_slow: 4,
    hours_over_rehearsed: 8,
    hours_slow_rehearsed: 2,
    assumptions: ["The first 7 days of history only teach."],
    halted: false,
  },
  ...part,
});

const OF = "/api/balance/groups/quayside";
const answers = (more: Answers = {}): Answers => ({
  "GET /api/session/": person,
  "GET /api/balance/groups/": [
    { id: 1, name: "quayside", datastores: 2, fill_ceiling: 0.82, latency_ceiling_ms: 9, in_force: "" },
  ],
  [`GET ${OF}/week/`]: week(),
  [`GET ${OF}/rehearsals/`]: [],
  "GET /api/balance/acts/": { halted: false, by: "", at: null, reason: "", groups: [], lots: [] },
  ...more,
});

const show = () => renderPage(<WeekPage />, "/balance/week");
const button = (name: string) => screen.findByRole("button", { name });

describe("the week of a group", () => {
  it("says what is in force and until when, what each way does, and each hour in words", async () => {
    serve(answers());
    show();
    expect(await screen.findByRole("status", { name: "In force" })).toHaveTextContent(
      "Now: Night, until Day begins Tue 05:00; clock of Europe/Oslo",
    );
    expect(screen.getByText(/Night acts, ≤ 2.00 TiB, 2 at once · Day advises/)).toBeVisible();
    const hours = within(screen.getByRole("table", { name: "The week by hour" }));
    expect(hours.getByRole("row", { name: "Tue 04:00 Night not measured" })).toBeInTheDocument();
    expect(hours.getByRole("row", { name: "Tue 10:00 Day 12.5 ms" })).toBeInTheDocument();
    expect(hours.getByRole("row", { name: "Wed 10:00 no way: advises not measured" })).toBeInTheDocument();
  });

  it("is laid out without dragging, and stored whole over what was seen", async () => {
    const asked = serve(answers({ [`PUT ${OF}/week/`]: week({ number: 4 }) }));
    show();
    expect(await button("Store the week")).toBeDisabled();
    await type(screen.getByRole("textbox", { name: "Another way" }), "Ferries");
    await user.click(await button("Add it"));
    const ferries = within(screen.getByRole("group", { name: "Way Ferries" }));
    await type(ferries.getByLabelText("Full, %"), "70");
    const lay = within(screen.getByRole("form", { name: "Lay a way over the week" }));
    await user.click(lay.getByRole("combobox", { name: "Lay" }));
    await user.click(await screen.findByRole("option", { name: "Ferries" }));
    for (const day of ["Mon", "Tue", "Wed", "Thu"])
      await user.click(lay.getByRole("checkbox", { name: day }));
    await type(lay.getByLabelText("From, hour"), "17");
    await type(lay.getByLabelText("Until, hour"), "22");
    await user.click(lay.getByRole("button", { name: "Lay it" }));
    await user.click(await button("Store the week"));
    await waitFor(() => {
      expect(asked.find((each) => each.key.startsWith("PUT"))).toMatchObject({
        ifMatch: '"3"',
        body: {
          zone: "Europe/Oslo",
          ways: [NIGHT, DAY, { ...none, name: "Ferries", does: "advise", fill_ceiling: 0.7 }],
          bars: [
            { way: "Night", begins: 20, hours: 9 },
            { way: "Day", begins: 29, hours: 15 },
            { way: "Ferries", begins: 113, hours: 5 },
          ],
          exceptions: [],
        },
      });
    });
  });

  it("keeps the figures of a way that stays when another is taken out", async () => {
    serve(answers({ [`GET ${OF}/week/`]: week({ ways: [NIGHT, { ...DAY, latency_ceiling_ms: 6 }] }) }));
    show();
    await user.click(await button("Take way Night out"));
    expect(within(screen.getByRole("group", { name: "Way Day" })).getByLabelText("Within, ms")).toHaveValue(
      "6",
    );
    expect(screen.queryByRole("group", { name: "Way Night" })).toBeNull();
    await user.click(await button("As it is stored"));
    expect(await screen.findByRole("group", { name: "Way Night" })).toBeVisible();
  });

  it("keeps what is typed where somebody stored another one meanwhile, and says so", async () => {
    let number = 3;
    const refused = new Refusal(412, {
      code: "changed",
      title: "Somebody changed it.",
      detail: "",
      hint: "",
    });
    serve(
      answers({
        [`GET ${OF}/week/`]: () => week({ number, by: "tove.lund" }),
        [`PUT ${OF}/week/`]: () => {
          number = 4;
          return refused;
        },
      }),
    );
    show();
    await type(await screen.findByLabelText("Time zone of the site"), "Europe/Rome");
    await user.click(await button("Store the week"));
    expect(await screen.findByText("Somebody changed it.")).toBeVisible();
    expect(screen.getByLabelText("Time zone of the site")).toHaveValue("Europe/Rome");
  });

  it("takes what a calendar lays out, and says what it left out", async () => {
    const read = { zone: "Europe/Oslo", bars: [{ way: "Day", begins: 0, hours: 168 }], exceptions: [] };
    const asked = serve(
      answers({
        [`POST ${OF}/week/read/`]: { ...read, left_out: ["Dusk: the group has no way of that name."] },
      }),
    );
    show();
    const text = () => Promise.resolve("BEGIN:VCALENDAR");
    const file = Object.assign(new File([], "week.ics", { type: "text/calendar" }), { text });
    await user.upload(await screen.findByLabelText("Calendar to read"), file);
    expect(await screen.findByText(/Read; store the week to keep it\. Left out: Dusk/)).toBeVisible();
    expect(asked.at(-1)?.body).toEqual({ calendar: "BEGIN:VCALENDAR" });
    const hours = within(screen.getByRole("table", { name: "The week by hour" }));
    expect(hours.getByRole("row", { name: "Mon 20:00 Day not measured" })).toBeInTheDocument();
  });

  it("shows all of it to who may change nothing, with nothing to change", async () => {
    serve(answers({ "GET /api/session/": auditor, [`GET ${OF}/rehearsals/`]: [rehearsal()] }));
    show();
    expect(await screen.findByRole("region", { name: "Rehearsal" })).toBeVisible();
    for (const name of ["Store the week", "Add it", "Rehearse", "Halt all groups", "Read a calendar"])
      expect(screen.queryByRole("button", { name })).toBeNull();
    expect(screen.getByRole("link", { name: "Save as calendar" })).toHaveAttribute("href", `${OF}/week.ics`);
  });
});

describe("exceptions", () => {
  it("are added by the reader's clock and taken back", async () => {
    const asked = serve(answers({ [`PUT ${OF}/week/`]: week({ number: 4 }) }));
    show();
    const form = within(await screen.findByRole("form", { name: "An exception" }));
    fireEvent.change(form.getByLabelText("From"), { target: { value: "2026-12-31T17:00" } });
    fireEvent.change(form.getByLabelText("Until"), { target: { value: "2026-12-31T16:00" } });
    expect(form.getByRole("button", { name: "Add exception" })).toBeDisabled();
    fireEvent.change(form.getByLabelText("Until"), { target: { value: "2027-01-01T08:00" } });
    await type(form.getByLabelText("Why"), "year-end close");
    await user.click(form.getByRole("button", { name: "Add exception" }));
    expect(
      screen.getByText(/31 Dec, 17:00 to 1 Jan, 08:00, year-end close, then back to the week/),
    ).toBeVisible();
    await user.click(await button("Store the week"));
    const sent = await waitFor(
      () => asked.find((each) => each.key.startsWith("PUT")) ?? Promise.reject(new Error()),
    );
    expect(sent.body).toMatchObject({
      exceptions: [
        {
          way: "Night",
          begins: new Date("2026-12-31T17:00").toISOString(),
          ends: new Date("2027-01-01T08:00").toISOString(),
          reason: "year-end close",
        },
      ],
    });
  });
});

describe("acting by itself", () => {
  it("is let only as it was rehearsed, and that counts as looked at", async () => {
    const asked = serve(
      answers({
        [`GET ${OF}/rehearsals/`]: [rehearsal()],
        "POST /api/balance/rehearsals/5/seen/": rehearsal({ seen_by: "ines.marrow" }),
        [`PUT ${OF}/acts/`]: week(),
      }),
    );
    show();
    const found = await screen.findByRole("region", { name: "Rehearsal" });
    expect(found).toHaveTextContent(
      "Rehearsed on 2 days: 16 hours over a ceiling were, 4 of them slow; 8 would have been, 2 of them slow, for 2 moves of 1.00 TiB in 1 night; 1 of them",
    );
    expect(
      within(found).getByRole("row", {
        name: /2026-11-29 8 hours as it was, 2 of them slow 0 hours as rehearsed/,
      }),
    ).toBeInTheDocument();
    expect(found).toHaveTextContent("The first 7 days of history only teach.");
    await user.click(await button("Let it act as rehearsed"));
    await waitFor(() => {
      expect(
        asked.filter((each) => each.body !== null || each.key.includes("seen")).map((each) => each.key),
      ).toEqual(["POST /api/balance/rehearsals/5/seen/", `PUT ${OF}/acts/`]);
    });
    expect(asked.find((each) => each.key === `PUT ${OF}/acts/`)).toMatchObject({
      ifMatch: '"3"',
      body: { acts: true },
    });
  });

  it("is not let by a rehearsal of other ways", async () => {
    serve(answers({ [`GET ${OF}/rehearsals/`]: [rehearsal({ fits: false })] }));
    show();
    expect(await button("Let it act as rehearsed")).toBeDisabled();
    expect(screen.getByText(/Rehearsed for ways as they were before/)).toBeVisible();
  });

  it("is rehearsed by a job that is followed and can be ended", async () => {
    let ended = false;
    const told = { kind: "rehearse" as const, text: "day 4 of 30", done: 3, total: 30 };
    serve(
      answers({
        [`POST ${OF}/rehearsals/`]: job({ ...told, state: "waiting" }),
        "GET /api/jobs/7/": () =>
          ended
            ? job({ ...told, state: "done", result: { rehearsal: 5 } })
            : job({ ...told, state: "running" }),
        "DELETE /api/jobs/7/": () => {
          ended = true;
          return null;
        },
        [`GET ${OF}/rehearsals/`]: () => (ended ? [rehearsal()] : []),
      }),
    );
    show();
    await user.click(await button("Rehearse"));
    expect(await screen.findByText(/day 4 of 30, 3 of 30/)).toBeVisible();
    await user.click(await button("Stop here"));
    expect(await screen.findByRole("region", { name: "Rehearsal" })).toBeVisible();
  });

  it("is halted for all groups by one switch, and let go on by it", async () => {
    let halted = false;
    const state = () => ({
      halted,
      by: "ines.marrow",
      at: null,
      reason: "",
      groups: ["quayside"],
      lots: [12],
    });
    serve(
      answers({
        "GET /api/balance/acts/": state,
        "PUT /api/balance/acts/": (body) => {
          halted = body.halted;
          return state();
        },
      }),
    );
    show();
    expect(await screen.findByRole("link", { name: "Lot 12 runs" })).toHaveAttribute("href", "/lots/12");
    await user.click(await button("Halt all groups"));
    expect(await screen.findByText("▲ halted for all groups by ines.marrow")).toBeVisible();
    await user.click(await button("Let groups act again"));
    expect(await button("Halt all groups")).toBeVisible();
  });
});
