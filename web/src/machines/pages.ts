import type { PageEntry } from "../shell/pages";

const stage = "machines";

export const PAGES: readonly PageEntry[] = [
  {
    path: "/machines",
    name: "Machines",
    also: "virtual machines, VM, power, snapshot",
    stage,
    strip: { place: 4, letter: "m" },
    chip: 0,
    load: async () => (await import("./MachinesPage")).MachinesPage,
  },
  {
    path: "/machines/hosts",
    name: "Hosts",
    stage,
    chip: 1,
    load: async () => (await import("./ThingsPages")).HostsPage,
  },
  {
    path: "/machines/datastores",
    name: "Datastores",
    stage,
    chip: 2,
    load: async () => (await import("./ThingsPages")).DatastoresPage,
  },
  {
    path: "/machines/volumes",
    name: "Volumes",
    stage,
    chip: 3,
    load: async () => (await import("./ThingsPages")).VolumesPage,
  },
  {
    path: "/machines/new",
    name: "New machine",
    stage,
    unlisted: true,
    drafts: ["new_machine"],
    load: async () => (await import("./NewMachinePage")).NewMachinePage,
  },
  {
    path: "/machines/:id",
    name: "Machine",
    stage,
    unlisted: true,
    load: async () => (await import("./MachinePage")).MachinePage,
  },
];
