import type { PageEntry } from "../shell/pages";

export const PAGES: readonly PageEntry[] = [
  {
    path: "/capacity",
    name: "Capacity",
    also: "ledger, runway, room, growth, thin provisioning, forecast",
    stage: "capacity",
    strip: { place: 6, letter: "c" },
    load: async () => (await import("./CapacityPage")).CapacityPage,
  },
];
