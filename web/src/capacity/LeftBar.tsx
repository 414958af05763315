import Box from "@mui/material/Box";
import { useUnit } from "../parts/unit";
import type { WayLeft } from "./queries";

/** What each way does, in a word. */
const DONE: Record<string, string> = { compression: "compressed", deduplication: "deduplicated" };
export const doneBy = (ways: readonly string[]): string => ways.map((way) => DONE[way] ?? way).join(" and ");
const shortly = (ways: readonly string[]): string => (ways.length > 1 ? "both" : doneBy(ways));

interface Props {
  /** All bytes before anything is reduced, of which a part are zeros. */
  logical: number;
  zeros: number;
  left: readonly WayLeft[];
  /** Bytes that the full width stands for. */
  widest: number;
}

const HATCH = "repeating-linear-gradient(45deg, var(--heat2) 0 1px, var(--card) 1px 5px)";

/** What would be left of some volumes: a line as they are, and one for each way, with how far that may be off. */
export function LeftBar({ logical, zeros, left, widest }: Props) {
  const { size } = useUnit();
  const share = (bytes: number) => `${String(Math.min(100, (100 * bytes) / Math.max(1, widest)))}%`;
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "minmax(120px, 1fr) 250px", columnGap: 1.5 }}>
      <Bar width={share(logical)}>
        <Box
          sx={{
            width: share((widest * (logical - zeros)) / Math.max(1, logical)),
            background: "var(--heat1)",
          }}
        />
        <Box sx={{ flex: 1, background: HATCH }} />
      </Bar>
      <Told text="all blocks" figure={`${size(logical)}${zeros ? `, ${size(zeros)} of zeros` : ""}`} />
      {left.map((each) => (
        <Line key={each.ways.join()} each={each} width={share(logical)} logical={logical} />
      ))}
    </Box>
  );
}

function Line({ each, width, logical }: { each: WayLeft; width: string; logical: number }) {
  const { size } = useUnit();
  const part = (100 * each.left_bytes) / Math.max(1, logical);
  return (
    <>
      <Bar width={width}>
        <Box sx={{ width: `${String(part)}%`, background: "var(--tide)" }} />
      </Bar>
      <Told text={shortly(each.ways)} figure={`${size(each.left_bytes)} ± ${size(2 * each.error_bytes)}`} />
    </>
  );
}

function Bar({ width, children }: { width: string; children: React.ReactNode }) {
  return (
    <Box
      aria-hidden
      sx={{ alignSelf: "center", height: 9, width, display: "flex", background: "var(--track)" }}
    >
      {children}
    </Box>
  );
}

function Told({ text, figure }: { text: string; figure: string }) {
  return (
    <span style={{ fontSize: 12, lineHeight: "17px" }}>
      <span style={{ color: "var(--mute)" }}>{text}</span> <span className="mono">{figure}</span>
    </span>
  );
}
