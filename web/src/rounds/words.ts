import type { Finding } from "./queries";

type Words = Finding["text"];

/** A sentence of the server, its sizes in the unit that the reader has chosen. */
export const said = (words: Words, size: (bytes: number) => string): string =>
  words.map((part) => (part.bytes === null ? part.text : size(part.bytes))).join("");

/** The way to a finding's subject; null when it has no page. */
export function pathTo(finding: Finding): string | null {
  if (finding.subject_kind === "device") return "/devices";
  return finding.subject_id === null ? null : `/trace/${finding.subject_kind}/${String(finding.subject_id)}`;
}

const DAY = 24 * 3600 * 1000;

/** Findings that were not there a day ago; none where all are new, as on the first day. */
export function newOnes(findings: readonly Finding[], now: Date): Set<number> {
  const fresh = findings.filter((finding) => now.getTime() - new Date(finding.first_seen).getTime() < DAY);
  return new Set(fresh.length === findings.length ? [] : fresh.map((finding) => finding.id));
}
