import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Popover from "@mui/material/Popover";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Finding } from "./useRounds";
import { usePutOff } from "./usePutOff";

const SPANS = [
  { days: 1, name: "Until tomorrow" },
  { days: 7, name: "For a week" },
  { days: 30, name: "For 30 days" },
];

/** A finding put off until later: for how long, and why. */
export function PutOff({ finding }: { finding: Finding }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [note, setNote] = useState("");
  const putOff = usePutOff();
  const close = () => {
    setAnchor(null);
  };
  return (
    <>
      <Button
        size="small"
        variant="text"
        onClick={(event) => {
          setAnchor(event.currentTarget);
        }}
        aria-haspopup="dialog"
        aria-label={`Put off: ${finding.title}, ${finding.label}`}
        sx={{ p: "0 4px", minWidth: 0, fontSize: 12, fontWeight: 400 }}
      >
        Put off
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={close}
        anchorOrigin={{ vertical: "bottom", horizontal: "left" }}
        slotProps={{ paper: { role: "dialog", "aria-label": `Put off ${finding.label}` } }}
      >
        <Box sx={{ p: 2, width: 320, display: "grid", gap: 1.5 }}>
          <Typography>It leaves the list until then, and comes back if it still holds.</Typography>
          <TextField
            label="Why"
            size="small"
            value={note}
            onChange={(event) => {
              setNote(event.target.value);
            }}
            slotProps={{ htmlInput: { maxLength: 300 } }}
          />
          <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
            {SPANS.map(({ days, name }) => (
              <Button
                key={days}
                variant="outlined"
                disabled={putOff.isPending}
                onClick={() => {
                  const until = new Date(Date.now() + days * 24 * 3600 * 1000);
                  putOff.mutate({ id: finding.id, until, note }, { onSuccess: close });
                }}
              >
                {name}
              </Button>
            ))}
          </Box>
          {putOff.error && <Typography role="alert">{putOff.error.message}</Typography>}
        </Box>
      </Popover>
    </>
  );
}
