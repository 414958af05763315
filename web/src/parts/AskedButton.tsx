import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { type ReactNode, useState } from "react";
import { ProblemAlert } from "./ProblemAlert";

interface Props {
  /** On the button, as `Unlink`. */
  label: string;
  /** What it is done to, as assistive technology has to name it among others. */
  subject: string;
  /** What will be, and what stays; said before it is done. */
  children: ReactNode;
  /** On the button that does it. */
  act: string;
  onAct: () => void;
  pending: boolean;
  error: unknown;
}

/** A button for what is not taken back: it says what will be, and does it once that was read. */
export function AskedButton({ label, subject, children, act, onAct, pending, error }: Props) {
  const [asked, setAsked] = useState(false);
  if (!asked) {
    return (
      <Button
        size="small"
        aria-label={`${label} ${subject}`}
        onClick={() => {
          setAsked(true);
        }}
      >
        {label}
      </Button>
    );
  }
  return (
    <Box role="group" aria-label={`${label} ${subject}`} sx={{ whiteSpace: "normal", maxWidth: 220 }}>
      {children}
      <Box sx={{ display: "flex", gap: 0.5, mt: 0.5 }}>
        <Button size="small" variant="outlined" disabled={pending} onClick={onAct}>
          {act}
        </Button>
        <Button
          size="small"
          onClick={() => {
            setAsked(false);
          }}
        >
          Keep
        </Button>
      </Box>
      <ProblemAlert error={error} />
    </Box>
  );
}
