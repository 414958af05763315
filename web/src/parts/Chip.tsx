import Box from "@mui/material/Box";
import type { ReactNode } from "react";

/** A short fact beside a title. */
export function Chip({ children }: { children: ReactNode }) {
  return (
    <Box
      component="span"
      sx={{
        border: "1px solid var(--line)",
        background: "var(--card)",
        borderRadius: "4px",
        p: "3px 9px",
        fontSize: 12.5,
        whiteSpace: "nowrap",
      }}
    >
      {children}
    </Box>
  );
}
