import Box from "@mui/material/Box";
import { problemOf } from "../api/problem";
import { useStatus } from "./useStatus";

/** What of Move Lot itself is down, on every page, for as long as it is; nothing while all is well. */
export function Troubles() {
  const { data, error } = useStatus();
  const texts = error ? [sentenceOf(error)] : (data?.troubles ?? []).map(({ text }) => text);
  return (
    <Box
      role="status"
      aria-label="Move Lot itself"
      sx={{ gridColumn: "1 / -1", fontSize: 13, color: "var(--brassText)", background: "var(--brassSoft)" }}
    >
      {texts.map((text) => (
        <Box key={text} sx={{ px: 2, py: 0.75, borderBottom: "1px solid var(--line)" }}>
          <strong aria-hidden>! </strong>
          {text}
        </Box>
      ))}
    </Box>
  );
}

/** What is shown is what was last known, which has to be said as well. */
function sentenceOf(error: unknown): string {
  const { title, hint } = problemOf(error);
  return `${title} What is shown here was read before. ${hint}`;
}
