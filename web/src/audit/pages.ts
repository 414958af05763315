import type { PageEntry } from "../shell/pages";

export const PAGES: readonly PageEntry[] = [
  {
    path: "/audit",
    name: "Audit trail",
    stage: "account",
    account: { place: 5 },
    load: async () => (await import("./AuditPage")).AuditPage,
  },
];
