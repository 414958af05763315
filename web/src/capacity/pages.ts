import type { PageEntry } from "../shell/pages";

export const PAGES: readonly PageEntry[] = [
  {
    path: "/capacity",
    name: "Capacity",
    also: "ledger, runway, room, growth, thin provisioning, forecast",
    stage: "capacity",
    strip: { place: 6, letter: "c" },
    chip: 1,
    load: async () => (await import("./CapacityPage")).CapacityPage,
  },
  {
    path: "/capacity/shares",
    name: "Who uses what",
    also: "chargeback, showback, cost, consumption",
    stage: "capacity",
    chip: 2,
    load: async () => (await import("./SharesPage")).SharesPage,
  },
];
