import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useMutation } from "@tanstack/react-query";
import { useRef } from "react";
import { api, unwrap } from "../api/client";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { BarRow, GroupWeek } from "./queries";

interface Props {
  group: string;
  /** Takes what a calendar lays out into the week as typed; not there for who may not change it. */
  take: ((bars: BarRow[], exceptions: GroupWeek["exceptions"]) => void) | undefined;
}

/** The week as a calendar (.ics), out and in. */
export function CalendarLinks({ group, take }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const read = useMutation({
    mutationFn: async (file: File) =>
      unwrap(
        api.POST("/api/balance/groups/{name}/week/read/", {
          params: { path: { name: group } },
          body: { calendar: await file.text() },
        }),
      ),
    onSuccess: (found) => take?.(found.bars, found.exceptions),
  });
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
      <Button component="a" href={`/api/balance/groups/${encodeURIComponent(group)}/week.ics`} download>
        Save as calendar
      </Button>
      {take && (
        <>
          <input
            ref={input}
            type="file"
            accept=".ics,text/calendar"
            aria-label="Calendar to read"
            style={{ display: "none" }}
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (file) read.mutate(file);
              event.target.value = "";
            }}
          />
          <Button
            onClick={() => {
              input.current?.click();
            }}
          >
            Read a calendar
          </Button>
        </>
      )}
      {read.data && (
        <span role="status">
          Read; store the week to keep it.
          {read.data.left_out.length > 0 && ` Left out: ${read.data.left_out.join(" ")}`}
        </span>
      )}
      <ProblemAlert error={read.error} />
    </Box>
  );
}
