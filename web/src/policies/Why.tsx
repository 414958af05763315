import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { CARD } from "../parts/CardHead";
import { ProblemAlert } from "../parts/ProblemAlert";
import { cellQuery } from "./queries";

/** Why a datastore serves a policy or does not, and which of its disks are there. */
export function Why({ policy, store }: { policy: number; store: number }) {
  const { data, error } = useQuery(cellQuery(policy, store));
  if (error) return <ProblemAlert error={error} />;
  if (!data) return null;
  return (
    <Box role="status" aria-label="Why" sx={{ ...CARD, p: "10px 12px" }}>
      <Typography component="div">
        {data.policy} on <Link to={`/trace/datastore/${String(store)}`}>{data.name}</Link>:{" "}
        <strong>{data.answer}</strong>
        {data.reasons.length > 0 && ` · ${data.reasons.join(" · ")}`}
      </Typography>
      {data.disks.length > 0 && (
        <Typography color="textSecondary" component="div">
          Its disks there: {data.disks.join(", ")}
        </Typography>
      )}
    </Box>
  );
}
