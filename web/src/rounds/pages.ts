import type { PageEntry } from "../shell/pages";

export const PAGES: readonly PageEntry[] = [
  {
    path: "/",
    name: "Rounds",
    stage: "rounds",
    strip: { place: 1, letter: "r" },
    load: async () => (await import("./RoundsPage")).RoundsPage,
  },
];
