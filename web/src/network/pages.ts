import type { PageEntry } from "../shell/pages";

const stage = "attach";

export const PAGES: readonly PageEntry[] = [
  {
    path: "/attach/paths",
    name: "Paths",
    stage,
    chip: 1,
    load: async () => (await import("./PathsPage")).PathsPage,
  },
  {
    path: "/attach/loss",
    name: "What if it is taken away",
    also: "loss of a component, failure",
    stage,
    chip: 2,
    load: async () => (await import("./LossPage")).LossPage,
  },
  {
    path: "/attach/device-settings",
    name: "Device settings",
    also: "path policy, queue depth",
    stage,
    chip: 3,
    load: async () => (await import("./DeviceSettingsPage")).DeviceSettingsPage,
  },
  {
    path: "/attach/interfaces",
    name: "Storage interfaces",
    stage,
    unlisted: true,
    drafts: ["interfaces"],
    load: async () => (await import("./InterfacesPage")).InterfacesPage,
  },
];
