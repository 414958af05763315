import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../api/problem";
import { countOf, formatSeconds } from "../parts/format";
import { Mark, type MarkKind } from "../parts/Mark";
import { useUnit } from "../parts/unit";
import { groupDetail, groupSteps, groupTitle } from "./grouping";
import type { LotDetail } from "./useLot";

type Step = Schemas["StepAnswer"];

const MARKS: Record<string, MarkKind> = {
  waiting: "unjudged",
  running: "part",
  done: "clear",
  failed: "over",
  abandoned: "missing",
};

/** The steps of a lot in order, with where each stands; long lots are cut with a count. */
export function StepList({ lot, most = 80 }: { lot: LotDetail; most?: number }) {
  if (lot.steps.length === 0) {
    return (
      <Typography color="textSecondary" sx={{ p: "12px 14px" }}>
        No steps yet.
      </Typography>
    );
  }
  if (lot.summary.state === "draft") return <DraftSteps lot={lot} most={most} />;
  const shown = lot.steps.slice(0, most);
  return (
    <Box component="ol" aria-label="Steps" sx={{ m: 0, p: 0, listStyle: "none" }}>
      {shown.map((step, n) => (
        <StepRow key={step.id} step={step} newLane={shown[n - 1]?.device !== step.device} />
      ))}
      {lot.steps.length > most && (
        <li style={{ padding: "8px 14px" }}>and {lot.steps.length - most} more steps</li>
      )}
    </Box>
  );
}

/** Steps of a draft, alike ones on several hosts in one row. */
function DraftSteps({ lot, most }: { lot: LotDetail; most: number }) {
  const groups = groupSteps(lot.steps);
  return (
    <Box component="ol" aria-label="Steps" sx={{ m: 0, p: 0, listStyle: "none" }}>
      {groups.slice(0, most).map((group, n) => {
        const { first, steps } = group;
        const many = steps.length > 1;
        const place = many ? `${countOf(steps.length, "host")} side by side` : first.device;
        const before = groups[n - 1];
        return (
          <Box component="li" key={first.id} sx={{ borderBottom: "1px solid var(--line)", p: "7px 14px" }}>
            {(many || before?.first.device !== first.device || before.steps.length > 1) && (
              <Typography sx={{ fontSize: 12, color: "var(--mute)" }}>on {place}</Typography>
            )}
            <Box
              sx={{ display: "grid", gridTemplateColumns: `${many ? "44px" : "22px"} 1fr auto`, gap: 0.75 }}
            >
              <span className="mono" style={{ fontSize: 12, paddingTop: 1 }}>
                {first.position + 1}
                {many && `–${String((steps.at(-1)?.position ?? 0) + 1)}`}
              </span>
              <div>
                <strong style={{ fontWeight: 600 }}>{groupTitle(group)}</strong>
                <div style={{ color: "var(--mute)", fontSize: 12 }}>{groupDetail(group)}</div>
              </div>
              <span className="mono" style={{ fontSize: 12 }}>
                {formatSeconds(Math.max(...steps.map((step) => step.planned_end - step.planned_start)))}
              </span>
            </Box>
          </Box>
        );
      })}
      {groups.length > most && <li style={{ padding: "8px 14px" }}>and {groups.length - most} more steps</li>}
    </Box>
  );
}

function StepRow({ step, newLane }: { step: Step; newLane: boolean }) {
  const { size } = useUnit();
  const running = step.state === "running" && step.total_amount > 0;
  const copies = step.kind === "move_disk";
  const left = step.per_second > 0 ? (step.total_amount - step.done_amount) / step.per_second : null;
  return (
    <Box
      component="li"
      sx={{
        borderBottom: "1px solid var(--line)",
        p: "7px 14px",
        background: step.state === "running" ? "var(--tideSoft)" : "none",
      }}
    >
      {newLane && <Typography sx={{ fontSize: 12, color: "var(--mute)" }}>on {step.device}</Typography>}
      <Box sx={{ display: "grid", gridTemplateColumns: "22px 1fr auto", gap: 0.75, alignItems: "start" }}>
        <span className="mono" style={{ fontSize: 12, paddingTop: 1 }}>
          {step.position + 1}
        </span>
        <div>
          <strong style={{ fontWeight: 600 }}>{step.title}</strong>
          <div style={{ color: "var(--mute)", fontSize: 12 }}>{step.detail}</div>
        </div>
        <Mark kind={MARKS[step.state] ?? "unjudged"} label={step.state} />
      </Box>
      {running && (
        <Box sx={{ pl: "28px", mt: 0.5 }}>
          <progress
            value={step.done_amount}
            max={step.total_amount}
            aria-label={`Progress of ${step.title}`}
            style={{ width: "100%", accentColor: "var(--tide)" }}
          />
          <div className="mono" style={{ fontSize: 11.5 }}>
            {copies
              ? `${size(step.done_amount)} of ${size(step.total_amount)}, ${size(step.per_second)}/s`
              : `${((step.done_amount / step.total_amount) * 100).toFixed(0)} %`}
            {left !== null && copies && `, ${formatSeconds(left)} left`}
          </div>
        </Box>
      )}
      {step.problem && (
        <Box role="alert" sx={{ pl: "28px", mt: 0.5, color: "var(--buoyText)" }}>
          {step.problem.message} {step.problem.unchanged} {step.problem.hint}
        </Box>
      )}
    </Box>
  );
}
