import Button from "@mui/material/Button";
import { useDraft } from "../lots/useDraft";
import { ProblemAlert } from "../parts/ProblemAlert";

/** Drafts the lot that gives a device, or all of them, a new password, which Move Lot makes up and keeps. */
export function NewPasswords({ device }: { device?: string }) {
  const draft = useDraft();
  return (
    <>
      <Button
        size="small"
        variant={device ? "text" : "outlined"}
        aria-label={device && `Draft a lot: a new password for ${device}`}
        disabled={draft.isPending}
        onClick={() => {
          draft.mutate({ kind: "passwords", form: device ? { device } : {} });
        }}
      >
        {device ? "New password" : "Draft lot: new passwords for all"}
      </Button>
      <ProblemAlert error={draft.error} />
    </>
  );
}
