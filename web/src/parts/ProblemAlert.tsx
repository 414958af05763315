import Alert from "@mui/material/Alert";
import type { ReactNode } from "react";
import { problemOf } from "../api/problem";

/** The one way an error is shown: what happened, what stayed as it was, what to do. */
export function ProblemAlert({ error, action }: { error: unknown; action?: ReactNode }) {
  if (!error) return null;
  const { title, detail, hint, changes = [], fields = {} } = problemOf(error);
  const more = [...changes, ...Object.entries(fields).map(([name, texts]) => `${name}: ${texts.join(" ")}`)];
  // The detail of a version that is outdated says the changes already.
  const listed = more.filter((text) => !detail.includes(text));
  return (
    <Alert
      severity="error"
      action={action}
      sx={{ my: 1, color: "var(--ink)", background: "var(--card)", border: "1px solid var(--buoy)" }}
    >
      <strong>{title}</strong> {detail} {listed.map((text) => `${text} `)}
      {hint}
    </Alert>
  );
}
