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
  {
    path: "/capacity/room",
    name: "Room plan",
    also: "reclaim, grow, runway, cheapest, plan",
    stage: "capacity",
    chip: 4,
    load: async () => (await import("./RoomPage")).RoomPage,
  },
  {
    path: "/capacity/reduction",
    name: "Data reduction",
    also: "deduplication, compression, duplicates, savings, estimate",
    stage: "capacity",
    chip: 3,
    load: async () => (await import("./ReductionPage")).ReductionPage,
  },
  {
    path: "/capacity/what-ifs",
    name: "What ifs",
    also: "scenarios, projects, compare, growth",
    stage: "capacity",
    chip: 5,
    load: async () => (await import("./WhatIfsPage")).WhatIfsPage,
  },
  {
    path: "/capacity/pool/:id",
    name: "Pool",
    stage: "capacity",
    unlisted: true,
    load: async () => (await import("./PoolPage")).PoolPage,
  },
];
