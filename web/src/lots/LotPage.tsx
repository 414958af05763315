import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Link, useParams } from "react-router";
import { countOf, formatClock, formatDate, formatMoment, formatSeconds } from "../parts/format";
import { Mark } from "../parts/Mark";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useNow } from "../parts/useNow";
import { Page } from "../shell/Page";
import { formPath } from "../shell/pages";
import { useTray } from "../shell/trayState";
import { Checks } from "./Checks";
import { LaneChart } from "./LaneChart";
import { LotButtons } from "./LotButtons";
import { Outcome } from "./Outcome";
import { isActive, type LotDetail } from "./queries";
import { useLot } from "./useLot";
import { SheetLinks } from "./SheetLinks";
import { StateChip } from "./StateChip";
import { STEP_MARKS } from "./StepList";

type Step = LotDetail["steps"][number];

/** Who did what with a lot, in the order in which it was done. */
function actsOf({ summary, acts }: LotDetail, now: Date): string {
  const told = acts.map(({ who, what, at }) => `${what} by ${who} ${formatMoment(at, now)}`);
  const drafted = `drafted by ${summary.created_by} ${formatMoment(summary.created_at, now)}`;
  const all = acts.some((act) => act.what === "drafted") ? told : [drafted, ...told];
  const text = all.join(", ");
  return text.charAt(0).toUpperCase() + text.slice(1);
}

const took = ({ started_at, ended_at }: LotDetail["summary"]): number | null =>
  started_at && ended_at ? (Date.parse(ended_at) - Date.parse(started_at)) / 1000 : null;

/** A lot: what it does when, how it stands, what came of it, and what can be done with it. */
export function LotPage() {
  const id = Number(useParams().id) || 0;
  const { data: lot, error } = useLot(id);
  const form = lot?.summary.state === "draft" ? formPath(lot.summary.kind, id) : null;
  return (
    <Page
      title={lot ? `Lot ${String(id)}: ${lot.summary.title}` : `Lot ${String(id)}`}
      error={error}
      loading={!lot}
      note={
        lot && (
          <>
            <StateChip state={lot.summary.state} live />
            {form && <Link to={form}>Change it</Link>}
          </>
        )
      }
      actions={lot && lot.steps.length > 0 && <SheetLinks lot={id} />}
    >
      {lot && <Whole lot={lot} />}
    </Page>
  );
}

function Whole({ lot }: { lot: LotDetail }) {
  const draft = lot.summary.state === "draft";
  const { folded } = useTray();
  return (
    <Box
      component="section"
      aria-label="This lot"
      sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "minmax(0, 1fr)" }}
    >
      <Story lot={lot} />
      {(draft ||
        lot.can_run ||
        lot.can_undo ||
        isActive(lot.summary.state) ||
        lot.summary.state === "sheet") && (
        <Box sx={{ border: "1px solid var(--line)", borderRadius: "6px", background: "var(--card)" }}>
          {draft && lot.checks.length > 0 && <Checks checks={lot.checks} />}
          <LotButtons lot={lot} keyed={folded} />
        </Box>
      )}
      <Problems steps={lot.steps} />
      {lot.outcome.length > 0 && <Outcome rows={lot.outcome} />}
      <LaneChart lot={lot} />
      <Steps lot={lot} />
    </Box>
  );
}

function Story({ lot }: { lot: LotDetail }) {
  const now = useNow(10_000);
  const { summary } = lot;
  const seconds = took(summary);
  return (
    <Typography color="textSecondary">
      {actsOf(lot, now)}; {summary.steps_done} of {countOf(summary.steps, "step")} done
      {seconds !== null &&
        `, took ${formatSeconds(seconds)} of about ${formatSeconds(lot.estimate_seconds)} estimated`}
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
      <ByItself lot={lot} />
      <Lasts lot={lot} />
    </Typography>
  );
}

/** That a group ran it by itself, and in which window. */
function ByItself({ lot }: { lot: LotDetail }) {
  if (!lot.by_itself) return null;
  const until = lot.window_ends_at && formatDate(lot.window_ends_at);
  if (!until) return "; its group runs it by itself";
  const left = lot.steps.filter((step) => step.state === "waiting").length;
  if (
    lot.summary.state === "halted" &&
    Date.parse(lot.window_ends_at ?? "") <= Date.parse(lot.summary.ended_at ?? "")
  )
    return `; its group ran it by itself until its window ended, ${until}: ${countOf(left, "step")} not begun`;
  return `; its group runs it by itself, and begins nothing after ${until}`;
}

/** Until when it lasts, where it is taken back by itself. */
function Lasts({ lot }: { lot: LotDetail }) {
  if (lot.lasts_hours === null || lot.summary.undone_by) return null;
  if (!lot.lasts_until) return `; taken back by itself ${countOf(lot.lasts_hours / 24, "day")} after it`;
  if (!lot.not_taken_back) return `; taken back by itself on ${formatDate(lot.lasts_until)}`;
  return (
    <span style={{ color: "var(--buoyText)" }}>
      ; ▲ it was to be taken back on {formatDate(lot.lasts_until)}, and is tried again: {lot.not_taken_back}
    </span>
  );
}

const PROBLEMS_SHOWN = 20;

function Problems({ steps }: { steps: readonly Step[] }) {
  const troubled = steps.filter((step) => step.problem);
  return (
    <>
      {troubled.slice(0, PROBLEMS_SHOWN).map((step) => (
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
      {troubled.length > PROBLEMS_SHOWN && (
        <Typography>and {troubled.length - PROBLEMS_SHOWN} more steps with trouble, listed below</Typography>
      )}
    </>
  );
}

const STEPS: readonly Column<Step>[] = [
  { key: "step", head: "Step", value: (step) => step.position + 1, figures: true, width: 70 },
  { key: "device", head: "On", value: (step) => step.device, width: 120 },
  {
    key: "title",
    head: "What",
    value: (step) => step.title,
    cell: (step) => (
      <span title={step.detail}>
        <strong style={{ fontWeight: 600 }}>{step.title}</strong>{" "}
        <span style={{ color: "var(--mute)" }}>{step.detail}</span>
      </span>
    ),
  },
  {
    key: "state",
    head: "State",
    value: (step) => step.state,
    cell: (step) => (
      <>
        <Mark kind={STEP_MARKS[step.state]} label="" /> {step.state}
      </>
    ),
    width: 120,
  },
  {
    key: "planned",
    head: "Planned",
    value: (step) => step.planned_end - step.planned_start,
    cell: (step) => formatSeconds(step.planned_end - step.planned_start),
    csv: "planned_seconds",
    figures: true,
    width: 90,
  },
  {
    key: "took",
    head: "Took",
    value: (step) => secondsOf(step),
    cell: (step) => {
      const seconds = secondsOf(step);
      return seconds === null ? "–" : formatSeconds(seconds);
    },
    csv: "took_seconds",
    figures: true,
    width: 90,
  },
  {
    key: "started_at",
    head: "Started",
    value: (step) => step.started_at,
    cell: (step) => clock(step.started_at),
    width: 100,
  },
];

const secondsOf = (step: Step): number | null =>
  step.started_at && step.ended_at ? (Date.parse(step.ended_at) - Date.parse(step.started_at)) / 1000 : null;
const clock = (iso: string | null) => (iso ? formatClock(iso) : "–");
const keyOf = (step: Step) => String(step.id);
const emphasis = (step: Step) => (step.state === "failed" ? ("over" as const) : undefined);

function Steps({ lot }: { lot: LotDetail }) {
  return (
    <DataTable
      name={`Steps of lot ${String(lot.summary.id)}`}
      title="Steps"
      note={countOf(lot.steps.length, "step")}
      columns={STEPS}
      rows={lot.steps}
      rowKey={keyOf}
      emphasis={emphasis}
      empty="No steps yet."
    />
  );
}
