import Button from "@mui/material/Button";
import { useMemo } from "react";
import { Link } from "react-router";
import { countOf, formatSeconds } from "../parts/format";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useUnit } from "../parts/unit";
import type { Move, Plan } from "./queries";
import { RefuseMove } from "./RefuseMove";

interface Props {
  plan: Plan;
  /** Null where nothing may be taken out. */
  onRemove: ((disk: number) => void) | null;
}

const whyOf = (move: Move) =>
  move.staging ? "staging, makes room for an exchange" : move.reasons.join("; ");

function columnsOf(size: (bytes: number) => string, onRemove: Props["onRemove"]): Column<Move>[] {
  return [
    {
      key: "disk",
      head: "Disk",
      value: (move) => move.name,
      cell: (move) => (
        <>
          <Link to={`/trace/disk/${String(move.disk)}`} style={{ fontWeight: 650, textDecoration: "none" }}>
            {move.name}
          </Link>{" "}
          <span style={{ color: "var(--mute)" }}>{move.machine}</span>
        </>
      ),
      sticky: true,
    },
    {
      key: "from",
      head: "From → to",
      value: (move) => `${move.source_name} → ${move.target_name}`,
      mono: true,
    },
    {
      key: "size",
      csv: "size_bytes",
      head: "Size",
      value: (move) => move.size_bytes,
      cell: (move) => size(move.size_bytes),
      figures: true,
      width: 100,
    },
    {
      key: "takes",
      csv: "takes_seconds",
      head: "Takes",
      value: (move) => move.end - move.start,
      cell: (move) => formatSeconds(move.end - move.start),
      figures: true,
      width: 90,
    },
    {
      key: "offloaded",
      head: "Copy",
      value: (move) => (move.offloaded ? "array copies it" : "over hosts"),
      width: 120,
    },
    {
      key: "why",
      head: "Gives",
      value: whyOf,
      cell: (move) => <span style={{ color: "var(--mute)" }}>{whyOf(move)}</span>,
    },
    ...(onRemove
      ? [
          {
            key: "out",
            head: "",
            value: () => null,
            cell: (move: Move) => (
              <>
                <Button
                  size="small"
                  onClick={() => {
                    onRemove(move.disk);
                  }}
                  aria-label={`Take ${move.name} out`}
                >
                  Take out
                </Button>
                {!move.staging && (
                  <RefuseMove
                    move={move}
                    refused={() => {
                      onRemove(move.disk);
                    }}
                  />
                )}
              </>
            ),
            screenOnly: true,
            width: 160,
          },
        ]
      : []),
  ];
}

const keyOf = (move: Move) => `${String(move.disk)} ${String(move.target)}`;

/** The plan's moves with their reasons, its bytes beside the bound, and what stays broken. */
export function MoveTable({ plan, onRemove }: Props) {
  const { size } = useUnit();
  const columns = useMemo(() => columnsOf(size, onRemove), [size, onRemove]);
  return (
    <>
      {[...plan.broken, ...plan.unresolved].map((text) => (
        <div key={text} style={{ color: "var(--buoyText)" }}>
          ▲ {text}
        </div>
      ))}
      {(plan.remarks ?? []).map((text) => (
        <div key={text}>{text}</div>
      ))}
      <DataTable
        name={`Moves of ${plan.group}`}
        title={
          plan.moves.length
            ? `${countOf(plan.moves.length, "move")}, ${size(plan.moved_bytes)}`
            : "No move is planned"
        }
        note={noteOf(plan, size)}
        columns={columns}
        rows={plan.moves}
        rowKey={keyOf}
        tall
        empty={
          plan.needed
            ? "No move is planned. Drag a block to another datastore, or press Enter on it, to plan one."
            : "Every ceiling holds; nothing has to move. Drag a block to another datastore, or press Enter on it, to plan a move."
        }
      />
    </>
  );
}

function noteOf(plan: Plan, size: (bytes: number) => string): string {
  if (!plan.moves.length) return "";
  const does = plan.clears ? "They clear every ceiling" : "They do not clear every ceiling";
  const takes = `about ${formatSeconds(plan.makespan_seconds)}`;
  // None is known for plans that leave something over.
  const least = plan.bound_bytes > 0 ? `; no plan can do it with less than ${size(plan.bound_bytes)}` : "";
  return plan.needed ? `${does}, in ${takes}${least}.` : `${does}, in ${takes}.`;
}
