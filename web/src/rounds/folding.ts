import type { Finding } from "./queries";

/** Findings that one and the same lot settles, shown as one row; the most urgent first. */
export interface Row {
  /** The same as long as the row means the same lot. */
  key: string;
  first: Finding;
  /** All of them by kind, in order. */
  kinds: readonly (readonly Finding[])[];
  count: number;
}

/** Rows of findings that come most urgent first. */
export function foldFindings(findings: readonly Finding[]): Row[] {
  const rows = new Map<string, Finding[]>();
  for (const finding of findings) {
    const key = finding.settled_with;
    const row = rows.get(key);
    if (row) row.push(finding);
    else rows.set(key, [finding]);
  }
  return [...rows].flatMap(([key, found]) => {
    const [first] = found;
    return first ? [{ key, first, kinds: byKind(found), count: found.length }] : [];
  });
}

function byKind(findings: readonly Finding[]): Finding[][] {
  const kinds = new Map<string, Finding[]>();
  for (const finding of findings) {
    const alike = kinds.get(finding.kind);
    if (alike) alike.push(finding);
    else kinds.set(finding.kind, [finding]);
  }
  return [...kinds.values()];
}
