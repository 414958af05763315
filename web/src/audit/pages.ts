import type { PageEntry } from "../shell/pages";

export const PAGES: readonly PageEntry[] = [
  {
    path: "/audit",
    name: "Audit trail",
    stage: "account",
    load: async () => (await import("./AuditPage")).AuditPage,
  },
];
