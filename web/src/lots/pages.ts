import type { PageEntry } from "../shell/pages";

export const PAGES: readonly PageEntry[] = [
  {
    path: "/lots",
    name: "Lots",
    stage: "lots",
    strip: { place: 7, letter: "l" },
    load: async () => (await import("./LotsPage")).LotsPage,
  },
  {
    path: "/lots/:id",
    name: "Lot",
    stage: "lots",
    load: async () => (await import("./LotPage")).LotPage,
  },
];
