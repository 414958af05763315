import type { ComponentType } from "react";
import type { Schemas } from "../api/problem";

export type LotKind = Schemas["LotKindName"];

/** A page: the one entry from which its route, its name everywhere, its key, its chip and its drafts come. */
export interface PageEntry {
  /** Address, with parameters as React Router has them. */
  path: string;
  name: string;
  /** Other words that it is found by. */
  also?: string;
  /** The page of the top strip that it belongs to, by that page's stage. */
  stage: string;
  /** In the top strip: its place there, and the letter that goes there after G. */
  strip?: { place: number; letter: string };
  /** Shown as a chip beside the titles of its stage's pages, in this order. */
  chip?: number;
  /** A letter after G for a page that is not in the strip. */
  letter?: string;
  /** In the account menu, at this place there; for administrators only where it says so. */
  account?: { place: number; administrators?: boolean };
  /** Not reached by its name alone, so not found by it. */
  unlisted?: boolean;
  /** Kinds of lots whose drafts are typed there, at `?lot=…`. */
  drafts?: readonly LotKind[];
  load: () => Promise<ComponentType>;
}

type Folder = { PAGES: readonly PageEntry[] };

/** All pages, from the `pages.ts` of every folder: a stage plugs in by having one. */
export const PAGES: readonly PageEntry[] = Object.values(
  import.meta.glob<Folder>("../*/pages.ts", { eager: true }),
).flatMap((folder) => folder.PAGES);

/** Pages of the top strip, in their order. */
export const STRIP = PAGES.filter((page) => page.strip).sort(
  (a, b) => (a.strip?.place ?? 0) - (b.strip?.place ?? 0),
);

/** Pages of the account menu, in their order, for who may open them. */
export const accountPages = (administers: boolean): readonly PageEntry[] =>
  PAGES.filter(({ account }) => account && (administers || !account.administrators)).sort(
    (a, b) => (a.account?.place ?? 0) - (b.account?.place ?? 0),
  );

/** Pages that can be gone to by name. */
const LISTED = PAGES.filter((page) => !page.unlisted && !page.path.includes(":"));

/** Pages whose name or other words have a text in them. */
export const pagesCalled = (text: string): readonly PageEntry[] =>
  LISTED.filter(({ name, also = "" }) => `${name} ${also}`.toLowerCase().includes(text.toLowerCase()));

/** Chips of a stage, its page in the strip first; none where that is all there is. */
export function chipsOf(stage: string): readonly PageEntry[] {
  const chips = PAGES.filter((page) => page.stage === stage && page.chip !== undefined);
  return chips.sort((a, b) => (a.chip ?? 0) - (b.chip ?? 0));
}

/** Where a lot's draft is typed; null for a kind that has no form. */
export function formPath(kind: string, lot: number): string | null {
  const page = PAGES.find((entry) => entry.drafts?.some((each) => each === kind));
  return page ? `${page.path}?lot=${String(lot)}` : null;
}

/** Where to go from a page whose draft is gone: the page itself where there is something without one, else its stage's. */
export function pageWithout(path: string): string {
  const page = PAGES.find((entry) => entry.path === path);
  return page?.unlisted ? (homeOf(path)?.path ?? "/") : path;
}

/** The page of the strip that the page at an address belongs to. */
export function homeOf(path: string): PageEntry | undefined {
  const page = PAGES.find((entry) => entry.path === path);
  return STRIP.find((entry) => entry.stage === page?.stage);
}
