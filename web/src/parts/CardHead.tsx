import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";

/** What every card looks like. */
export const CARD = {
  border: "1px solid var(--line)",
  borderRadius: "6px",
  background: "var(--card)",
} as const;

/** The first line of a card: its heading, and what stands at its right. */
export function CardHead({ title, children }: { title: ReactNode; children: ReactNode }) {
  return (
    <Box
      sx={{
        display: "flex",
        alignItems: "baseline",
        gap: 1.5,
        p: "8px 12px",
        borderBottom: "1px solid var(--line)",
      }}
    >
      <Typography variant="h2" component="h2">
        {title}
      </Typography>
      {children}
    </Box>
  );
}
