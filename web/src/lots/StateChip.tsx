import Box from "@mui/material/Box";

const WORDS: Record<string, string> = { halting: "halting…", sheet: "run sheet" };

/** A lot's state as a word in a box. */
export function StateChip({ state }: { state: string }) {
  const failed = state === "failed" || state === "halted";
  const live = state === "running" || state === "halting";
  return (
    <Box
      component="span"
      role="status"
      sx={{
        border: "1px solid",
        borderColor: failed ? "var(--buoy)" : "var(--line)",
        background: live ? "var(--tideSoft)" : "var(--card)",
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
