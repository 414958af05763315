import type { PageEntry } from "../shell/pages";

export const PAGES: readonly PageEntry[] = [
  {
    path: "/trace/:kind/:id",
    name: "Trace",
    stage: "trace",
    load: async () => (await import("./TracePage")).TracePage,
  },
];
