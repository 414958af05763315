import type { PageEntry } from "../shell/pages";

export const PAGES: readonly PageEntry[] = [
  {
    path: "/policies",
    name: "Policies",
    also: "VM storage policy, fit, requirement, compliance",
    stage: "policies",
    strip: { place: 3, letter: "p" },
    load: async () => (await import("./PoliciesPage")).PoliciesPage,
  },
];
