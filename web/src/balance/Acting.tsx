import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, unwrap } from "../api/client";
import { resultOf } from "../jobs/followed";
import { JobNote } from "../jobs/JobNote";
import { useJob } from "../jobs/useJob";
import { CARD, CardHead } from "../parts/CardHead";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useChange } from "../parts/useChange";
import { useSession } from "../shell/useSession";
import { actsQuery, type GroupWeek, rehearsalsQuery } from "./queries";
import { RehearsalCard } from "./RehearsalCard";

/** Whether a group acts by itself: rehearsed, looked at, let act; and the switch for all groups. */
export function Acting({ week }: { week: GroupWeek }) {
  const { data: rehearsals, error } = useQuery(rehearsalsQuery(week.group));
  const { data: session } = useSession();
  const queries = useQueryClient();
  const mayChange = session?.may_change ?? false;
  const rehearsal = rehearsals?.find((each) => each.fits) ?? rehearsals?.[0];
  const job = useJob({
    ask: () =>
      unwrap(api.POST("/api/balance/groups/{name}/rehearsals/", { params: { path: { name: week.group } } })),
    look: (ended) => Promise.resolve(resultOf(ended, "rehearse")),
    onSuccess: () => void queries.invalidateQueries(),
  });
  const acts = useChange(async (let_act: boolean) => {
    if (let_act && rehearsal)
      await unwrap(
        api.POST("/api/balance/rehearsals/{id}/seen/", { params: { path: { id: rehearsal.id } } }),
      );
    return unwrap(
      api.PUT("/api/balance/groups/{name}/acts/", {
        params: { path: { name: week.group }, header: { "If-Match": `"${String(week.number)}"` } },
        body: { acts: let_act },
      }),
    );
  });
  const { acting } = week;
  return (
    <Box component="section" aria-label="Acting by itself" sx={CARD}>
      <CardHead title="Acting by itself">
        <Typography component="span" sx={{ flex: 1 }}>
          <How week={week} />
        </Typography>
        <Switch mayChange={mayChange} />
      </CardHead>
      <Box sx={{ p: 1.5, display: "grid", gap: 1.25 }}>
        {mayChange && (
          <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
            <Button
              variant={rehearsal?.fits ? "outlined" : "contained"}
              disabled={job.isPending || week.ways.length === 0}
              onClick={() => {
                job.start();
              }}
            >
              Rehearse
            </Button>
            {acting.wanted && !acting.let_by && (
              <Button
                variant="contained"
                disabled={!rehearsal?.fits || acts.isPending}
                onClick={() => {
                  acts.mutate(true);
                }}
              >
                Let it act as rehearsed
              </Button>
            )}
            {acting.let_by && (
              <Button
                variant="outlined"
                disabled={acts.isPending}
                onClick={() => {
                  acts.mutate(false);
                }}
              >
                Have it advise only
              </Button>
            )}
            <JobNote job={job} begun="waiting for a worker" end="Stop here" />
          </Box>
        )}
        <ProblemAlert error={job.error ?? acts.error ?? error} />
        {rehearsal && <RehearsalCard rehearsal={rehearsal} />}
      </Box>
    </Box>
  );
}

function How({ week: { acting, ways } }: { week: GroupWeek }) {
  if (ways.length === 0) return <>Add a way that acts, lay it over hours, and rehearse it.</>;
  if (!acting.wanted) return <>No way that is laid over the week acts.</>;
  if (acting.why_not) return <>◪ {acting.why_not}</>;
  return <>■ It acts where its ways say so, let by {acting.let_by}.</>;
}

/** One switch for all groups. */
function Switch({ mayChange }: { mayChange: boolean }) {
  const { data } = useQuery(actsQuery());
  const flip = useChange((halted: boolean) =>
    unwrap(api.PUT("/api/balance/acts/", { body: { halted, reason: "" } })),
  );
  if (!data) return null;
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
      {data.halted && <span style={{ color: "var(--buoyText)" }}>▲ halted for all groups by {data.by}</span>}
      {data.lots.map((lot) => (
        <Link key={lot} to={`/lots/${String(lot)}`}>
          Lot {lot} runs
        </Link>
      ))}
      {mayChange && (
        <Button
          size="small"
          variant="outlined"
          disabled={flip.isPending}
          onClick={() => {
            flip.mutate(!data.halted);
          }}
        >
          {data.halted ? "Let groups act again" : "Halt all groups"}
        </Button>
      )}
      <ProblemAlert error={flip.error} />
    </Box>
  );
}
