import Box from "@mui/material/Box";
import Button from "@mui/material/Button";

interface Props {
  /** As `useJob` gives it. */
  job: { isPending: boolean; progress: string; cancel: () => void };
  /** Said until the server tells how far it is. */
  begun: string;
  /** What ending it early is called, where that is not for nothing. */
  end?: string;
}

/** How far a job is, how long it still takes, and a way to end it; nothing while none is under way. */
export function JobNote({ job, begun, end = "Stop" }: Props) {
  if (!job.isPending) return null;
  return (
    <Box component="span" sx={{ display: "inline-flex", alignItems: "center", gap: 1 }}>
      <span role="status">{job.progress || begun}</span>
      <Button onClick={job.cancel}>{end}</Button>
    </Box>
  );
}
