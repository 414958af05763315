import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { type ReactNode, useState } from "react";
import { ProblemAlert } from "./ProblemAlert";
import { useChange } from "./useChange";

interface Props<Made> {
  /** On the button, as `Unlink`. */
  label: string;
  /** What it is done to, as assistive technology has to name it among others. */
  subject: string;
  /** What will be, and what stays; said before it is done. */
  children: ReactNode;
  /** On the button that does it. */
  act: string;
  change: () => Promise<Made>;
  onMade?: (made: Made) => void;
}

/** A button for what is not taken back: it says what will be, and does it once that was read. */
export function AskedButton<Made>({ label, subject, children, act, change, onMade }: Props<Made>) {
  const [asked, setAsked] = useState(false);
  const made = useChange(change, onMade);
  if (!asked) {
    return (
      <Button
        size="small"
        aria-label={`${label} ${subject}`}
        onClick={() => {
          made.reset();
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
        <Button
          size="small"
          variant="outlined"
          disabled={made.isPending}
          onClick={() => {
            made.mutate();
          }}
        >
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
      <ProblemAlert error={made.error} />
    </Box>
  );
}
