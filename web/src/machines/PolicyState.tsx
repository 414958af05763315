import { Mark, type MarkKind } from "../parts/Mark";

const MARKS: Record<string, MarkKind> = {
  "in policy": "clear",
  "out of policy": "over",
  "not judged": "unjudged",
};

/** How a disk, or the worst of a machine's, stands to its policy: a shape and the words. */
export function PolicyState({ state, count = 0 }: { state: string; count?: number }) {
  const mark = MARKS[state];
  if (!mark) return <span style={{ color: "var(--mute)" }}>no policy</span>;
  return (
    <span style={{ display: "inline-flex", gap: 6, alignItems: "center", whiteSpace: "nowrap" }}>
      <Mark kind={mark} label="" />
      {count > 1 ? `${String(count)} ${state}` : state}
    </span>
  );
}
