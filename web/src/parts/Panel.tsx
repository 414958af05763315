import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";

/** A card with a heading and a note at its right. */
export function Panel({ title, note, children }: { title: string; note?: string; children: ReactNode }) {
  return (
    <Box
      component="section"
      aria-label={title}
      sx={{
        border: "1px solid var(--line)",
        borderRadius: "6px",
        background: "var(--card)",
        overflow: "auto",
      }}
    >
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
        <Box sx={{ flex: 1 }} />
        {note && <span style={{ color: "var(--mute)", fontSize: 12 }}>{note}</span>}
      </Box>
      {children}
    </Box>
  );
}
