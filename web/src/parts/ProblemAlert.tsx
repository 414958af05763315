import Alert from "@mui/material/Alert";
import type { ReactNode } from "react";
import { problemOf } from "../api/problem";

/** The one way an error is shown: what happened, what stayed as it was, what to do. */
export function ProblemAlert({ error, action }: { error: unknown; action?: ReactNode }) {
  if (!error) return null;
  const problem = problemOf(error);
  return (
    <Alert
      severity="error"
      action={action}
      sx={{ my: 1, color: "var(--ink)", background: "var(--card)", border: "1px solid var(--buoy)" }}
    >
      <strong>{problem.title}</strong> {problem.detail} {problem.hint}
    </Alert>
  );
}
