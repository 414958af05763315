import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useEffect } from "react";
import { Link, useParams } from "react-router";
import { CsvButton } from "../parts/CsvButton";
import { ProblemAlert } from "../parts/ProblemAlert";
import { countOf, formatMoment, formatSeconds } from "../parts/format";
import { useNow } from "../parts/useNow";
import { useTray } from "../shell/trayState";
import { LaneChart } from "./LaneChart";
import { Outcome } from "./Outcome";
import { SheetLinks } from "./SheetLinks";
import { StateChip } from "./StateChip";
import { type LotDetail, useLot } from "./useLot";

/** Who did what with a lot, in the order in which it was done. */
function actsOf({ summary, acts }: LotDetail, now: Date): string {
  const told = acts.map(({ who, what, at }) => `${what} by ${who} ${formatMoment(at, now)}`);
  const drafted = `drafted by ${summary.created_by} ${formatMoment(summary.created_at, now)}`;
  const all = acts.some((act) => act.what === "drafted") ? told : [drafted, ...told];
  const text = all.join(", ");
  return text.charAt(0).toUpperCase() + text.slice(1);
}

/** A lot: what it does when, how it stands, and what came of it. Steps and buttons are in the tray. */
export function LotPage() {
  const id = Number(useParams().id) || 0;
  const { data: lot, error } = useLot(id);
  const now = useNow(1000);
  const { show } = useTray();
  const there = Boolean(lot);
  useEffect(() => {
    // Once a page: a later answer must not take the tray back from another lot, such as this one's undo.
    if (there) show(id);
  }, [there, id, show]);
  if (error) return <ProblemAlert error={error} />;
  if (!lot) return null;
  const { summary } = lot;
  const took =
    summary.started_at && summary.ended_at
      ? (Date.parse(summary.ended_at) - Date.parse(summary.started_at)) / 1000
      : null;
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      <Box sx={{ display: "flex", gap: 1.25, alignItems: "center", flexWrap: "wrap" }}>
        <Typography variant="h1">
          Lot {id}: {summary.title}
        </Typography>
        <StateChip state={summary.state} />
        <Box sx={{ flex: 1 }} />
        {lot.steps.length > 0 && <SheetLinks lot={id} />}
        <CsvButton
          name={`steps of lot ${String(id)}`}
          heads={[
            "step",
            "device",
            "title",
            "detail",
            "state",
            "planned_start_seconds",
            "planned_end_seconds",
            "started_at",
            "ended_at",
          ]}
          rows={() =>
            lot.steps.map((step) => [
              step.position + 1,
              step.device,
              step.title,
              step.detail,
              step.state,
              step.planned_start,
              step.planned_end,
              step.started_at,
              step.ended_at,
            ])
          }
        />
      </Box>
      <Typography color="textSecondary">
        {actsOf(lot, now)}; {summary.steps_done} of {countOf(summary.steps, "step")} done
        {took !== null &&
          `, took ${formatSeconds(took)} of about ${formatSeconds(lot.estimate_seconds)} estimated`}
        {summary.undoes && (
          <>
            ; undoes <Link to={`/lots/${String(summary.undoes)}`}>lot {summary.undoes}</Link>
          </>
        )}
        {summary.undone_by && (
          <>
            ; undone by <Link to={`/lots/${String(summary.undone_by)}`}>lot {summary.undone_by}</Link>
          </>
        )}
      </Typography>
      <LaneChart lot={lot} />
      {lot.steps
        .filter((step) => step.problem)
        .map((step) => (
          <Box
            key={step.id}
            role="alert"
            sx={{ p: 1.25, border: "1px solid var(--buoy)", borderRadius: "6px", background: "var(--card)" }}
          >
            <strong>
              {step.device}, step {step.position + 1}, {step.title}:
            </strong>{" "}
            {step.problem?.message} {step.problem?.unchanged} {step.problem?.hint}
          </Box>
        ))}
      {lot.outcome.length > 0 && (
        <>
          <Typography variant="h2" component="h2">
            Predicted and measured
          </Typography>
          <Outcome rows={lot.outcome} />
        </>
      )}
    </Box>
  );
}
