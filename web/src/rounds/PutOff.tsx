import Button from "@mui/material/Button";
import { lazy, Suspense, useState } from "react";
import type { Finding } from "./queries";

// Asked for by few presses: not part of the first load.
const PutOffForm = lazy(async () => ({ default: (await import("./PutOffForm")).PutOffForm }));

/** Findings put off until later: for how long, and why, in a form over the page. */
export function PutOff({ findings }: { findings: readonly Finding[] }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [first] = findings;
  if (!first) return null;
  const label = findings.length > 1 ? `${first.label} and ${String(findings.length - 1)} more` : first.label;
  return (
    <>
      <Button
        variant="text"
        onClick={(event) => {
          setAnchor(event.currentTarget);
        }}
        aria-haspopup="dialog"
        aria-label={`Put off: ${first.title}, ${label}`}
        sx={{ p: "0 4px", minWidth: 0, fontSize: 12, fontWeight: 400 }}
      >
        Put off
      </Button>
      {anchor && (
        <Suspense>
          <PutOffForm
            findings={findings}
            label={label}
            anchor={anchor}
            onClose={() => {
              setAnchor(null);
            }}
          />
        </Suspense>
      )}
    </>
  );
}
