export type MarkKind = "clear" | "part" | "over" | "missing" | "unjudged" | "chosen" | "other" | "standby";

const SHAPES: Record<
  MarkKind,
  { path: string; filled: boolean; half?: string; colour: string; word: string }
> = {
  clear: { path: "M2 2h10v10H2z", filled: true, colour: "var(--ink)", word: "clear" },
  part: {
    path: "M2 2h10v10H2z",
    filled: false,
    half: "M2 2h10L2 12z",
    colour: "var(--ink)",
    word: "partial",
  },
  over: { path: "M7 2l5.5 10h-11z", filled: true, colour: "var(--buoy)", word: "over" },
  missing: { path: "M2 2h10v10H2z", filled: false, colour: "var(--buoy)", word: "missing" },
  unjudged: { path: "M7 1.5L12.5 7 7 12.5 1.5 7z", filled: false, colour: "var(--mute)", word: "not judged" },
  chosen: { path: "M7 1.5L12.5 7 7 12.5 1.5 7z", filled: true, colour: "var(--ink)", word: "chosen" },
  other: {
    path: "M2 2h10v10H2z",
    filled: false,
    half: "M12 2v10H2z",
    colour: "var(--tide)",
    word: "other controller",
  },
  standby: {
    path: "M2 2h10v10H2z",
    filled: false,
    half: "M5 6.3h4v1.4H5z",
    colour: "var(--tide)",
    word: "standby",
  },
};

/** A state as a shape with a word for those who do not see it; none where the word stands beside it. */
export function Mark({ kind, label, colour }: { kind: MarkKind; label?: string; colour?: string }) {
  const shape = SHAPES[kind];
  const ink = colour ?? shape.colour;
  return (
    <svg
      width="14"
      height="14"
      viewBox="0 0 14 14"
      {...(label === "" ? { "aria-hidden": true } : { role: "img", "aria-label": label ?? shape.word })}
      style={{ flex: "none" }}
    >
      <path d={shape.path} fill={shape.filled ? ink : "none"} stroke={ink} strokeWidth="1.4" />
      {shape.half && <path d={shape.half} fill={ink} />}
    </svg>
  );
}
