import Button from "@mui/material/Button";
import { useMemo } from "react";
import { countOf, formatMs, formatSeconds, formatShare } from "../parts/format";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useUnit } from "../parts/unit";
import type { Aim, Alternative, Board } from "./queries";

interface Props {
  board: Board;
  plans: readonly Alternative[];
  /** Drafts the plan of an aim; null where nothing may be drafted now. */
  draft: ((aim: Aim) => void) | null;
}

/** What is compared: the group as it is, and each plan. */
interface Row {
  key: string;
  called: string;
  plan: Alternative | null;
  fullest: string;
  fill: number;
  slowest: string;
  ms: number;
}

function asItIs(board: Board): Row {
  const [fullest] = [...board.datastores].sort((a, b) => b.fill - a.fill);
  const [slowest] = [...board.pools].sort((a, b) => b.peak_ms - a.peak_ms);
  return {
    key: "now",
    called: "As it is",
    plan: null,
    fullest: fullest?.name ?? "",
    fill: fullest?.fill ?? 0,
    slowest: slowest?.name ?? "",
    ms: slowest?.peak_ms ?? 0,
  };
}

const rowOf = (plan: Alternative): Row => ({
  key: plan.aim,
  called: plan.called,
  plan,
  fullest: plan.fullest,
  fill: plan.fullest_fill,
  slowest: plan.slowest,
  ms: plan.slowest_ms,
});

const aimed = (plan: Alternative): Aim =>
  plan.aim === "even" ? { aim: "even", least_gain: plan.least_gain } : {};

function columnsOf(size: (bytes: number) => string, draft: Props["draft"]): Column<Row>[] {
  return [
    { key: "called", head: "Plan", value: (row) => row.called, sticky: true },
    {
      key: "moves",
      head: "Moves",
      value: (row) => row.plan?.moves ?? 0,
      cell: (row) => (row.plan ? countOf(row.plan.moves, "move") : "–"),
      figures: true,
    },
    {
      key: "bytes",
      csv: "moved_bytes",
      head: "In all",
      value: (row) => row.plan?.moved_bytes ?? 0,
      cell: (row) => (row.plan ? size(row.plan.moved_bytes) : "–"),
      figures: true,
    },
    {
      key: "takes",
      csv: "takes_seconds",
      head: "Takes",
      value: (row) => row.plan?.takes_seconds ?? 0,
      cell: (row) => (row.plan?.moves ? formatSeconds(row.plan.takes_seconds) : "–"),
      figures: true,
    },
    {
      key: "fullest",
      head: "Fullest",
      value: (row) => row.fill,
      cell: (row) => `${row.fullest} ${formatShare(row.fill)}`,
    },
    {
      key: "slowest",
      head: "Slowest at its peak",
      value: (row) => row.ms,
      cell: (row) => (row.slowest ? `${row.slowest} ${formatMs(row.ms)}` : "–"),
    },
    {
      key: "over",
      head: "Stays over",
      value: (row) => row.plan?.over ?? null,
      cell: (row) =>
        !row.plan
          ? "–"
          : row.plan.over > 0
            ? `▲ ${(100 * row.plan.over).toFixed(1)} % of a ceiling`
            : "■ nothing",
    },
    ...(draft
      ? [
          {
            key: "draft",
            head: "",
            value: () => null,
            cell: ({ plan, called }: Row) =>
              plan &&
              plan.moves > 0 && (
                <Button
                  aria-label={`Draft ${called}`}
                  onClick={() => {
                    draft(aimed(plan));
                  }}
                >
                  Draft
                </Button>
              ),
            screenOnly: true,
            width: 90,
          },
        ]
      : []),
  ];
}

/** The group as it is beside the plans that were made for it: what each moves, takes and leaves. */
export function Alternatives({ board, plans, draft }: Props) {
  const { size } = useUnit();
  const columns = useMemo(() => columnsOf(size, draft), [size, draft]);
  if (plans.every((plan) => plan.moves === 0)) return null;
  return (
    <DataTable
      name={`Plans of ${board.name}`}
      title="Plans side by side"
      note={
        plans.some((plan) => plan.aim === "even") ? "" : "Even out too, and that plan stands here as well."
      }
      columns={columns}
      rows={[asItIs(board), ...plans.map(rowOf)]}
      rowKey={(row) => row.key}
      empty=""
    />
  );
}
