import type { PageEntry } from "../shell/pages";

const load = async () => (await import("./BalancePage")).BalancePage;

export const PAGES: readonly PageEntry[] = [
  {
    path: "/balance",
    name: "Balance",
    stage: "balance",
    strip: { place: 5, letter: "b" },
    drafts: ["balance"],
    load,
  },
  {
    path: "/balance/groups",
    name: "Groups",
    also: "members, make, rename, retire",
    stage: "balance",
    chip: 1,
    load: async () => (await import("./GroupsPage")).GroupsPage,
  },
  {
    path: "/balance/rules",
    name: "Rules",
    also: "split, bond, pin, keep apart, keep together",
    stage: "balance",
    chip: 2,
    load: async () => (await import("./RulesPage")).RulesPage,
  },
  {
    path: "/balance/neighbours",
    name: "Noisy neighbours",
    also: "fair caps, throttle, IOPS, who is slow, contention",
    stage: "balance",
    chip: 3,
    load: async () => (await import("./NeighboursPage")).NeighboursPage,
  },
  {
    path: "/balance/week",
    name: "Week",
    also: "ways of working, act by itself, automatic, schedule, rehearsal, exceptions, iCalendar",
    stage: "balance",
    chip: 4,
    load: async () => (await import("./WeekPage")).WeekPage,
  },
  { path: "/balance/:group", name: "Balance", stage: "balance", load },
];
