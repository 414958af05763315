import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useState } from "react";
import type { Schemas } from "../api/problem";
import { countOf, formatSeconds } from "../parts/format";
import { Mark, type MarkKind } from "../parts/Mark";
import { useUnit } from "../parts/unit";
import { groupDetail, groupSteps, type StepGroup, groupTitle } from "./grouping";
import type { LotDetail } from "./queries";

type Step = Schemas["StepAnswer"];

export const STEP_MARKS: Record<Step["state"], MarkKind> = {
  waiting: "unjudged",
  running: "part",
  done: "clear",
  failed: "over",
  abandoned: "missing",
  unknown: "unjudged",
};
const AT_WORK = new Set<Step["state"]>(["running", "failed", "unknown"]);
const ROW_PX = 56;
/** Lists longer than this are drawn as they come into sight. */
const MANY = 60;

/** The steps of a lot in order, with where each stands; those at work, failed or unknown come first. */
export function StepList({ lot }: { lot: LotDetail }) {
  if (lot.steps.length === 0) {
    return (
      <Typography color="textSecondary" sx={{ p: "12px 14px" }}>
        No steps yet.
      </Typography>
    );
  }
  if (lot.summary.state === "draft") {
    const groups = groupSteps(lot.steps);
    return (
      <Rows
        items={groups}
        keyOf={(group) => group.first.id}
        draw={(group, before) => <DraftStep group={group} before={before} />}
      />
    );
  }
  const now = lot.steps.filter((step) => AT_WORK.has(step.state));
  return (
    <>
      {now.length > 0 && lot.steps.length > MANY && (
        <Box component="section" aria-label="At work now" sx={{ borderBottom: "2px solid var(--ink)" }}>
          <Rows items={now} keyOf={(step) => step.id} draw={(step) => <StepRow step={step} newLane />} />
        </Box>
      )}
      <Rows
        items={lot.steps}
        keyOf={(step) => step.id}
        draw={(step, before) => <StepRow step={step} newLane={before?.device !== step.device} />}
      />
    </>
  );
}

interface RowsProps<T> {
  items: readonly T[];
  keyOf: (item: T) => number;
  draw: (item: T, before: T | undefined) => ReactNode;
}

/** A list of any length; a long one scrolls by itself. */
function Rows<T>({ items, keyOf, draw }: RowsProps<T>) {
  const [scroller, setScroller] = useState<HTMLElement | null>(null);
  const many = items.length > MANY;
  // The compiler leaves components with it as they are, which is what they want.
  // eslint-disable-next-line react-hooks/incompatible-library
  const rows = useVirtualizer({
    count: many ? items.length : 0,
    getScrollElement: () => scroller,
    estimateSize: () => ROW_PX,
    overscan: 8,
    initialRect: { width: 300, height: 600 },
  });
  const list = { m: 0, p: 0, listStyle: "none" } as const;
  if (!many) {
    return (
      <Box component="ol" aria-label="Steps" sx={list}>
        {items.map((item, n) => (
          <Line key={keyOf(item)}>{draw(item, items[n - 1])}</Line>
        ))}
      </Box>
    );
  }
  const shown = rows.getVirtualItems();
  return (
    <>
      <Typography sx={{ p: "6px 14px", fontSize: 12, color: "var(--mute)" }}>
        {countOf(items.length, "row")}
      </Typography>
      <Box
        ref={setScroller}
        sx={{ height: "min(60vh, 560px)", overflow: "auto" }}
        tabIndex={0}
        role="region"
        aria-label="All steps"
      >
        <Box
          component="ol"
          aria-label="Steps"
          sx={{ ...list, position: "relative" }}
          style={{ height: rows.getTotalSize() }}
        >
          {shown.map(({ index, start, key }) => {
            const item = items[index];
            return (
              item !== undefined && (
                <Line
                  key={key}
                  index={index}
                  measure={rows.measureElement}
                  start={start}
                  count={items.length}
                >
                  {draw(item, items[index - 1])}
                </Line>
              )
            );
          })}
        </Box>
      </Box>
    </>
  );
}

interface LineProps {
  children: ReactNode;
  index?: number;
  start?: number;
  count?: number;
  measure?: (node: HTMLElement | null) => void;
}

function Line({ children, index, start, count, measure }: LineProps) {
  return (
    <li
      ref={measure}
      data-index={index}
      {...(index === undefined ? {} : { "aria-posinset": index + 1, "aria-setsize": count })}
      style={{
        borderBottom: "1px solid var(--line)",
        padding: "7px 14px",
        ...(start === undefined
          ? {}
          : { position: "absolute", left: 0, right: 0, transform: `translateY(${String(start)}px)` }),
      }}
    >
      {children}
    </li>
  );
}

const GRID = { display: "grid", gap: 0.75 } as const;

/** A step of a draft, or alike ones on several hosts in one row. */
function DraftStep({ group, before }: { group: StepGroup; before: StepGroup | undefined }) {
  const { first, steps } = group;
  const many = steps.length > 1;
  const place = many ? `${countOf(steps.length, "host")} side by side` : first.device;
  return (
    <>
      {(many || before?.first.device !== first.device || before.steps.length > 1) && (
        <Typography sx={{ fontSize: 12, color: "var(--mute)" }}>on {place}</Typography>
      )}
      <Box sx={{ ...GRID, gridTemplateColumns: `${many ? "44px" : "22px"} 1fr auto` }}>
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
    </>
  );
}

function StepRow({ step, newLane }: { step: Step; newLane: boolean }) {
  const { size } = useUnit();
  const running = step.state === "running" && step.total_amount > 0;
  const copies = step.kind === "move_disk";
  const left = step.per_second > 0 ? (step.total_amount - step.done_amount) / step.per_second : null;
  return (
    <>
      {newLane && <Typography sx={{ fontSize: 12, color: "var(--mute)" }}>on {step.device}</Typography>}
      <Box sx={{ ...GRID, gridTemplateColumns: "26px 1fr 16px" }}>
        <span className="mono" style={{ fontSize: 12, paddingTop: 1 }}>
          {step.position + 1}
        </span>
        <div>
          <strong style={{ fontWeight: 600 }}>{step.title}</strong>
          <div style={{ color: "var(--mute)", fontSize: 12 }}>{step.detail}</div>
        </div>
        <Mark kind={STEP_MARKS[step.state]} label={step.state} />
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
      {step.believed && step.state !== "unknown" && step.believed !== step.state && (
        <Box sx={{ pl: "28px", mt: 0.5, color: "var(--brassText)" }}>
          {step.believed} in the backup, {step.state} on {step.device}
        </Box>
      )}
      {step.problem && (
        <Box role="alert" sx={{ pl: "28px", mt: 0.5, color: "var(--buoyText)" }}>
          {step.problem.message} {step.problem.unchanged} {step.problem.hint}
        </Box>
      )}
    </>
  );
}
