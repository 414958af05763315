import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Choice } from "../lots/drafts/fields";
import { readersZone } from "../parts/format";
import type { GroupWeek, WayRow } from "./queries";

type Exceptions = GroupWeek["exceptions"];

interface Props {
  exceptions: Exceptions;
  ways: readonly WayRow[];
  set: ((exceptions: Exceptions) => void) | undefined;
}

const shown = (iso: string) =>
  new Date(iso).toLocaleString("en-GB", {
    day: "numeric",
    month: "short",
    hour: "2-digit",
    minute: "2-digit",
  });

/** Ways that are in force once, then the week goes on. */
export function Exceptions({ exceptions, ways, set }: Props) {
  return (
    <Box component="section" aria-label="Exceptions" sx={{ display: "grid", gap: 1 }}>
      {exceptions.map((each, place) => (
        <Box key={`${each.begins} ${each.way}`} sx={{ display: "flex", gap: 1, alignItems: "baseline" }}>
          <span>
            Once: <b>{each.way}</b>, {shown(each.begins)} to {shown(each.ends)}
            {each.reason && `, ${each.reason}`}, then back to the week
          </span>
          {set && (
            <Button
              size="small"
              aria-label={`Take the exception of ${shown(each.begins)} back`}
              onClick={() => {
                set(exceptions.filter((_, n) => n !== place));
              }}
            >
              Take back
            </Button>
          )}
        </Box>
      ))}
      {set && ways.length > 0 && (
        <AddException
          ways={ways}
          add={(each) => {
            set([...exceptions, each]);
          }}
        />
      )}
    </Box>
  );
}

function AddException({ ways, add }: { ways: readonly WayRow[]; add: (each: Exceptions[number]) => void }) {
  const [way, setWay] = useState(ways[0]?.name ?? "");
  const [begins, setBegins] = useState("");
  const [ends, setEnds] = useState("");
  const [reason, setReason] = useState("");
  const known = ways.some((each) => each.name === way) ? way : (ways[0]?.name ?? "");
  const meant = begins !== "" && ends > begins;
  return (
    <Box
      component="form"
      aria-label="An exception"
      sx={{ display: "flex", gap: 1, alignItems: "start", flexWrap: "wrap" }}
      onSubmit={(event) => {
        event.preventDefault();
        add({
          way: known,
          begins: new Date(begins).toISOString(),
          ends: new Date(ends).toISOString(),
          reason,
        });
        setBegins("");
        setEnds("");
        setReason("");
      }}
    >
      <Box sx={{ width: 150 }}>
        <Choice
          label="Once"
          value={known}
          fixed={false}
          options={ways.map((each) => [each.name, each.name] as const)}
          choose={setWay}
        />
      </Box>
      {(
        [
          ["From", begins, setBegins],
          ["Until", ends, setEnds],
        ] as const
      ).map(([label, value, change]) => (
        <TextField
          key={label}
          type="datetime-local"
          label={label}
          fullWidth={false}
          sx={{ width: 190 }}
          value={value}
          slotProps={{ inputLabel: { shrink: true } }}
          onChange={(event) => {
            change(event.target.value);
          }}
        />
      ))}
      <TextField
        label="Why"
        fullWidth={false}
        sx={{ width: 150 }}
        value={reason}
        slotProps={{ htmlInput: { maxLength: 100 } }}
        onChange={(event) => {
          setReason(event.target.value);
        }}
      />
      <Button type="submit" disabled={!meant}>
        Add exception
      </Button>
      <span style={{ color: "var(--mute)", fontSize: 12, alignSelf: "center" }}>
        by the clock of {readersZone()}
      </span>
    </Box>
  );
}
