import Box from "@mui/material/Box";
import type { Schemas } from "../api/problem";
import { isActive } from "./queries";

type LotState = Schemas["LotState"];

const WORDS: Partial<Record<LotState, string>> = { halting: "halting…", sheet: "run sheet" };

/** A lot's state as a word in a box; `live` where its changes are said to readers. */
export function StateChip({ state, live }: { state: LotState; live?: boolean }) {
  const failed = state === "failed" || state === "halted";
  const active = isActive(state);
  return (
    <Box
      component="span"
      {...(live ? { role: "status", "aria-label": "State of the lot" } : {})}
      sx={{
        border: "1px solid",
        borderColor: failed ? "var(--buoy)" : "var(--line)",
        background: active ? "var(--tideSoft)" : "var(--card)",
        color: failed ? "var(--buoyText)" : "var(--ink)",
        borderRadius: "4px",
        px: 0.75,
        fontSize: 12,
        lineHeight: 1.6,
      }}
    >
      {WORDS[state] ?? state}
    </Box>
  );
}
