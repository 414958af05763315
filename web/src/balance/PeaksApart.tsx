import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { useDraft } from "../lots/useDraft";
import { CARD, CardHead } from "../parts/CardHead";
import { formatHour, formatMs, formatShare } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useSession } from "../shell/useSession";
import { apartQuery, type FittingDisk } from "./queries";

/** Less than that says nothing. */
const LEAST_APART = 0.01;

/** Which pools' hours fit with those of one, and which of its disks would fit into another's hours. */
export function PeaksApart({ pool }: { pool: number }) {
  const { data, error } = useQuery(apartQuery(pool));
  if (error) return <ProblemAlert error={error} />;
  if (!data?.pools.length) return null;
  const [best] = data.pools;
  return (
    <Box component="section" aria-label="Peaks apart" sx={CARD}>
      <CardHead title="Peaks apart">{null}</CardHead>
      {best && best.apart < LEAST_APART && (
        <Typography sx={{ p: "8px 12px" }}>All pools that share its groups are busy when it is.</Typography>
      )}
      {best && best.apart >= LEAST_APART && (
        <Typography sx={{ p: "8px 12px" }}>
          Its hours fit best with {best.name}, which is busiest at {formatHour(best.peak_hour)}{" "}
          {best.peak_day === "weekend" ? "at weekends" : "on weekdays"}: both together peak{" "}
          {formatShare(best.apart)} lower than one by one.
        </Typography>
      )}
      {data.disks.length === 0 && (
        <Typography color="textSecondary" sx={{ p: "0 12px 10px" }}>
          No disk of it would fit into the hours of another pool that may have it.
        </Typography>
      )}
      {data.disks.map((disk) => (
        <Fits key={`${disk.group} ${String(disk.disk)}`} disk={disk} />
      ))}
    </Box>
  );
}

function Fits({ disk }: { disk: FittingDisk }) {
  const draft = useDraft();
  const { data: session } = useSession();
  return (
    <Box
      role="group"
      aria-label={`${disk.name} to ${disk.target_name}`}
      sx={{ p: "8px 12px", borderTop: "1px solid var(--line)" }}
    >
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline" }}>
        <span style={{ flex: 1, overflowWrap: "anywhere" }}>
          <Link to={`/trace/disk/${String(disk.disk)}`} style={{ fontWeight: 650, textDecoration: "none" }}>
            {disk.name}
          </Link>{" "}
          → {disk.target_name}
        </span>
        {session?.may_change && (
          <Button
            size="small"
            aria-label={`Draft lot: ${disk.name} to ${disk.target_name}`}
            disabled={draft.isPending}
            onClick={() => {
              draft.mutate({
                kind: "balance",
                form: { group: disk.group, moves: [{ disk: disk.disk, target: disk.target }] },
              });
            }}
          >
            Draft lot
          </Button>
        )}
      </Box>
      <div style={{ color: "var(--mute)", fontSize: 12 }}>
        {formatShare(disk.quiet)} of its peak falls into quiet hours there; here {formatMs(disk.peak_ms)} →{" "}
        {formatMs(disk.peak_ms_after)}; {disk.pool} {formatMs(disk.other_ms)} →{" "}
        {formatMs(disk.other_ms_after)}
      </div>
      <ProblemAlert error={draft.error} />
    </Box>
  );
}
