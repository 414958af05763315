import type { PageEntry } from "../shell/pages";

export const PAGES: readonly PageEntry[] = [
  {
    path: "/account",
    name: "Account",
    also: "password sessions tokens browsers",
    stage: "account",
    account: { place: 2 },
    load: async () => (await import("./AccountPage")).AccountPage,
  },
  {
    path: "/people",
    name: "People",
    also: "roles users administrators",
    stage: "account",
    account: { place: 3, administrators: true },
    load: async () => (await import("./PeoplePage")).PeoplePage,
  },
  {
    path: "/settings",
    name: "Settings",
    also: "allowed networks retention",
    stage: "account",
    account: { place: 4, administrators: true },
    load: async () => (await import("./SettingsPage")).SettingsPage,
  },
];
