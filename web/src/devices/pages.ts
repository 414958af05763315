import type { PageEntry } from "../shell/pages";

export const PAGES: readonly PageEntry[] = [
  {
    path: "/devices",
    name: "Devices",
    stage: "attach",
    chip: 5,
    letter: "d",
    account: { place: 1 },
    load: async () => (await import("./DevicesPage")).DevicesPage,
  },
];
