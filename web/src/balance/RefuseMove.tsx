import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { AskedButton } from "../parts/AskedButton";
import type { Move } from "./queries";

const DAY_MS = 86_400_000;
const USUAL_DAYS = "30";
const NAME_MAX = 64;

interface Props {
  move: Move;
  refused: () => void;
}

/** Has plans not move a disk there for some days: a rule that ends by itself keeps it off. */
export function RefuseMove({ move, refused }: Props) {
  const [days, setDays] = useState(USUAL_DAYS);
  const meant = /^[1-9]\d{0,3}$/.test(days.trim());
  return (
    <AskedButton
      label="Refuse"
      subject={move.name}
      act="Refuse it"
      change={() =>
        unwrap(
          api.POST("/api/balance/rules/", {
            body: {
              name: `refused: ${move.name} to ${move.target_name}`.slice(0, NAME_MAX),
              kind: "off",
              among: "disks",
              apart_by: "datastore",
              labelled: "",
              disks: [String(move.disk)],
              datastore: move.target_name,
              until: new Date(Date.now() + Number(meant ? days : USUAL_DAYS) * DAY_MS).toISOString(),
            },
          }),
        )
      }
      onMade={refused}
    >
      No plan moves it to {move.target_name} for so many days: a rule says so, and ends by itself. This plan
      goes on without; draft anew for the best without it.
      <TextField
        label="Days"
        sx={{ mt: 1 }}
        value={days}
        error={!meant}
        slotProps={{ htmlInput: { inputMode: "numeric" } }}
        onChange={(event) => {
          setDays(event.target.value);
        }}
      />
    </AskedButton>
  );
}
