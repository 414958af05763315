import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import { useSnackbar } from "notistack";

interface Props {
  /** What it is and what to do with it. */
  text: string;
  secret: string;
  onDone: () => void;
}

/** A secret that the server shows once: copied, and then put away. */
export function ShownOnce({ text, secret, onDone }: Props) {
  const { enqueueSnackbar } = useSnackbar();
  return (
    <Alert
      severity="info"
      icon={false}
      sx={{ color: "var(--ink)", background: "var(--tideSoft)", mb: 1.5 }}
      action={
        <>
          <Button
            size="small"
            variant="outlined"
            onClick={() => {
              // Without a secure context there is no clipboard; the text can be marked and copied by hand.
              void Promise.resolve(window.isSecureContext && navigator.clipboard.writeText(secret)).then(
                (copied) => enqueueSnackbar(copied === false ? "Mark it and copy it by hand." : "Copied."),
              );
            }}
          >
            Copy
          </Button>
          <Button size="small" onClick={onDone}>
            I have it
          </Button>
        </>
      }
    >
      {text} It is shown this once.
      <div className="mono" style={{ overflowWrap: "anywhere", marginTop: 4 }}>
        {secret}
      </div>
    </Alert>
  );
}
