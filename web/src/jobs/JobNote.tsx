import Box from "@mui/material/Box";
import Button from "@mui/material/Button";

interface Props {
  /** As `useJob` gives it. */
  job: { isPending: boolean; progress: string; cancel: () => void };
  /** Said until the server tells how far it is. */
  begun: string;
}

/** How far a job is, how long it still takes, and a way to end it; nothing while none is under way. */
export function JobNote({ job, begun }: Props) {
  if (!job.isPending) return null;
  return (
    <Box component="span" sx={{ display: "inline-flex", alignItems: "center", gap: 1 }}>
      <span role="status">{job.progress || begun}</span>
      <Button onClick={job.cancel}>Stop</Button>
    </Box>
  );
}
