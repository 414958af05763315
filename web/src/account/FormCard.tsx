import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { ReactNode } from "react";
import { CARD, CardHead } from "../parts/CardHead";
import { ProblemAlert } from "../parts/ProblemAlert";

interface Props {
  title: string;
  /** On the button that sends it. */
  act: string;
  onAct: () => void;
  /** What is missing, or on the way. */
  disabled: boolean;
  error: unknown;
  /** What it does, or did. */
  note?: ReactNode;
  children: ReactNode;
}

/** A few fields in a row with the button that sends them. */
export function FormCard({ title, act, onAct, disabled, error, note, children }: Props) {
  return (
    <Box
      component="form"
      noValidate
      aria-label={title}
      onSubmit={(event) => {
        event.preventDefault();
        if (!disabled) onAct();
      }}
      sx={{ ...CARD, my: 1.5 }}
    >
      <CardHead title={title}>{null}</CardHead>
      <Box sx={{ display: "flex", flexWrap: "wrap", gap: 1.5, p: 1.5, alignItems: "flex-start" }}>
        {children}
        <Button type="submit" variant="outlined" disabled={disabled} sx={{ minHeight: 40 }}>
          {act}
        </Button>
      </Box>
      <Box sx={{ px: 1.5 }}>
        {note && (
          <Box role="status" sx={{ color: "var(--mute)", fontSize: 12.5, pb: 1.5 }}>
            {note}
          </Box>
        )}
        <ProblemAlert error={error} />
      </Box>
    </Box>
  );
}
