import type { PageEntry } from "../shell/pages";

export const PAGES: readonly PageEntry[] = [
  {
    path: "/machines/images",
    name: "Images",
    also: "disk image, package, depot, upload",
    stage: "machines",
    chip: 4,
    load: async () => (await import("./ImagesPage")).ImagesPage,
  },
];
