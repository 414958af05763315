import type { PageEntry } from "../shell/pages";

const load = async () => (await import("./BalancePage")).BalancePage;

export const PAGES: readonly PageEntry[] = [
  {
    path: "/balance",
    name: "Balance",
    stage: "balance",
    strip: { place: 5, letter: "b" },
    drafts: ["balance"],
    load,
  },
  { path: "/balance/:group", name: "Balance", stage: "balance", load },
];
