import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Popover from "@mui/material/Popover";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { Finding } from "./queries";
import { usePutOff } from "./usePutOff";

const DAY_MS = 24 * 3600 * 1000;
const SPANS = [
  { days: 1, name: "Until tomorrow" },
  { days: 7, name: "For a week" },
  { days: 30, name: "For 30 days" },
];

interface Props {
  findings: readonly Finding[];
  label: string;
  anchor: HTMLElement;
  onClose: () => void;
}

/** Asks for how long and why; closes once it is stored. */
export function PutOffForm({ findings, label, anchor, onClose }: Props) {
  const [note, setNote] = useState("");
  const putOff = usePutOff();
  return (
    <Popover
      open
      anchorEl={anchor}
      onClose={onClose}
      anchorOrigin={{ vertical: "bottom", horizontal: "left" }}
      slotProps={{ paper: { role: "dialog", "aria-label": `Put off ${label}` } }}
    >
      <Box sx={{ p: 2, width: 320, display: "grid", gap: 1.5 }}>
        <Typography>
          {findings.length > 1
            ? "They leave the list until then, and come back if they still hold."
            : "It leaves the list until then, and comes back if it still holds."}
        </Typography>
        <TextField
          label="Why"
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
                const until = new Date(Date.now() + days * DAY_MS);
                const ids = findings.map((finding) => finding.id);
                putOff.mutate({ ids, until, note }, { onSuccess: onClose });
              }}
            >
              {name}
            </Button>
          ))}
        </Box>
        <ProblemAlert error={putOff.error} />
      </Box>
    </Popover>
  );
}
