import Box from "@mui/material/Box";
import type { ReactNode } from "react";
import { CARD, CardHead } from "./CardHead";

/** A card with a heading and a note at its right. */
export function Panel({ title, note, children }: { title: string; note?: string; children: ReactNode }) {
  return (
    <Box component="section" aria-label={title} sx={{ ...CARD, overflow: "auto" }}>
      <CardHead title={title}>
        <Box sx={{ flex: 1 }} />
        {note && <span style={{ color: "var(--mute)", fontSize: 12 }}>{note}</span>}
      </CardHead>
      {children}
    </Box>
  );
}
