import type { PageEntry } from "../shell/pages";

const stage = "attach";

export const PAGES: readonly PageEntry[] = [
  {
    path: "/attach",
    name: "Attach",
    stage,
    strip: { place: 2, letter: "a" },
    chip: 0,
    load: async () => (await import("./overview/OverviewPage")).OverviewPage,
  },
  {
    path: "/attach/file-limits",
    name: "NFS limits",
    also: "NFS timeouts and limits, file storage",
    stage,
    chip: 4,
    load: async () => (await import("./FileLimitsPage")).FileLimitsPage,
  },
  {
    path: "/attach/block",
    name: "Attach block storage",
    stage,
    unlisted: true,
    drafts: ["attach"],
    load: async () => (await import("./BlockPage")).BlockPage,
  },
  {
    path: "/attach/file",
    name: "Attach file storage",
    stage,
    unlisted: true,
    drafts: ["attach_file"],
    load: async () => (await import("./FilePage")).FilePage,
  },
  {
    path: "/attach/set",
    name: "Attach a volume set",
    stage,
    unlisted: true,
    drafts: ["attach_set"],
    load: async () => (await import("./SetPage")).SetPage,
  },
  {
    path: "/attach/use",
    name: "Make a datastore of a volume",
    stage,
    unlisted: true,
    drafts: ["use_volume"],
    load: async () => (await import("./UsePage")).UsePage,
  },
  {
    path: "/attach/detach",
    name: "Take a volume away",
    stage,
    unlisted: true,
    drafts: ["detach"],
    load: async () => (await import("./DetachPage")).DetachPage,
  },
];
