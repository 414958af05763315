import { useMemo, useState } from "react";
import { Link } from "react-router";
import { countOf, formatMs, formatShare } from "../parts/format";
import { Picture } from "../parts/picture/Picture";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useUnit } from "../parts/unit";
import { flowsOf, histogram, type Bin, type Row as FlowRow } from "./flows";
import type { Board, Move, MoveRequest, Plan, Stack } from "./queries";
import { StackPanel } from "./StackPanel";

const NO_MOVES: readonly Move[] = [];
const ROW = 31;

interface Props {
  board: Board;
  plan: Plan | undefined;
  /** Null where nothing may be moved. */
  move: ((moves: readonly MoveRequest[]) => void) | null;
}

/** A group of many datastores: those over a ceiling, what leaves them for which pools, and how all stand, now and after. */
export function LargeGroup({ board, plan, move }: Props) {
  const { size } = useUnit();
  const [opened, setOpened] = useState<Stack | null>(null);
  const moves = plan?.moves ?? NO_MOVES;
  const names = useMemo(() => new Map(board.pools.map((pool) => [pool.id, pool.name])), [board.pools]);
  const drawn = useMemo(
    () => flowsOf({ stores: board.datastores, pools: names, moves, row: ROW }),
    [board.datastores, names, moves],
  );
  return (
    <>
      <Picture
        title={
          plan
            ? `${countOf(moves.length, "move")} between ${countOf(board.datastores.length, "datastore")}`
            : `${countOf(board.datastores.length, "datastore")} of ${board.name}`
        }
        legend={
          <span style={{ fontSize: 12, color: "var(--mute)" }}>
            upright line: the ceiling · dashed: what leaves · short lines: after
          </span>
        }
        said={plan ? `${countOf(moves.length, "move")}, ${size(plan.moved_bytes)}` : ""}
        twin={<StoreTable board={board} plan={plan} onChoose={setOpened} />}
      >
        <div
          style={{
            display: "grid",
            gridTemplateColumns: "minmax(580px, 2.6fr) minmax(220px, 1fr)",
            gap: 24,
            padding: "12px 18px",
            overflowX: "auto",
          }}
        >
          <FlowPicture board={board} plan={plan} drawn={drawn} onChoose={setOpened} />
          <div style={{ display: "grid", gap: 18, alignContent: "start" }}>
            <Histogram
              title={`all ${String(board.datastores.length)} by fill, now and after`}
              bins={histogram(
                board.datastores.map((stack) => stack.fill),
                fillsAfter(board, plan),
                { most: 1, count: 10, ceiling: board.fill_ceiling },
              )}
              ceiling={board.fill_ceiling}
              ends={["0 %", "100 %"]}
              word={formatShare}
            />
            <Histogram
              title={`${countOf(board.pools.length, "pool")} by latency at the peak hour`}
              bins={histogram(
                board.pools.map((pool) => pool.peak_ms),
                peaksAfter(board, plan),
                {
                  most: board.latency_ceiling_ms * 2,
                  count: 10,
                  ceiling: board.latency_ceiling_ms,
                },
              )}
              ceiling={0.5}
              ends={["0 ms", `${(board.latency_ceiling_ms * 2).toFixed(0)} ms and more`]}
              word={formatMs}
            />
          </div>
        </div>
      </Picture>
      {opened && (
        <StackPanel
          board={board}
          stack={opened}
          move={move}
          onClose={() => {
            setOpened(null);
          }}
        />
      )}
    </>
  );
}

function fillsAfter(board: Board, plan: Plan | undefined): number[] {
  const after = new Map((plan?.datastores ?? []).map((entry) => [entry.id, entry.fill]));
  return board.datastores.map((stack) => after.get(stack.id) ?? stack.fill);
}

function peaksAfter(board: Board, plan: Plan | undefined): number[] {
  const after = new Map((plan?.pools ?? []).map((entry) => [entry.id, entry.peak_ms]));
  return board.pools.map((pool) => after.get(pool.id) ?? pool.peak_ms);
}

interface FlowProps {
  board: Board;
  plan: Plan | undefined;
  drawn: ReturnType<typeof flowsOf>;
  onChoose: (stack: Stack) => void;
}

const NAMES_PX = 78;
const BAR_PX = 170;
const FLOW_FROM = 350;
const FLOW_TO = 580;

function FlowPicture({ board, plan, drawn, onChoose }: FlowProps) {
  const { size } = useUnit();
  const stacks = useMemo(
    () => new Map(board.datastores.map((stack) => [stack.id, stack])),
    [board.datastores],
  );
  const after = useMemo(
    () => new Map((plan?.datastores ?? []).map((entry) => [entry.id, entry.fill])),
    [plan],
  );
  const height = Math.max(...[...drawn.sources, ...drawn.receivers].map((row) => row.y), ROW) + ROW;
  const over = board.datastores.filter((stack) => stack.over).length;
  return (
    <div>
      <div style={{ display: "flex", justifyContent: "space-between", color: "var(--mute)", fontSize: 12 }}>
        <span>over a ceiling or giving: {over} over, worst first</span>
        <span>{plan ? `bytes by pool: ${size(plan.moved_bytes)}` : "no plan is drafted"}</span>
        <span>receiving pools: {drawn.receivers.reduce((sum, row) => sum + row.count, 0)}</span>
      </div>
      <div style={{ position: "relative", height, marginTop: 6 }}>
        <svg
          width="100%"
          height={height}
          viewBox={`0 0 760 ${String(height)}`}
          preserveAspectRatio="none"
          aria-hidden
          style={{ position: "absolute", inset: 0 }}
        >
          {drawn.flows.map((flow) => (
            <path
              key={`${flow.from.key} ${flow.to.key}`}
              d={`M${String(FLOW_FROM)} ${String(flow.from.y)}C${String((FLOW_FROM + FLOW_TO) / 2)} ${String(flow.from.y)} ${String((FLOW_FROM + FLOW_TO) / 2)} ${String(flow.to.y)} ${String(FLOW_TO)} ${String(flow.to.y)}`}
              fill="none"
              stroke="var(--tide)"
              strokeOpacity={0.32}
              strokeWidth={flow.width}
            />
          ))}
        </svg>
        {drawn.sources.map((row) => (
          <SourceRow
            key={row.key}
            row={row}
            stack={row.id === null ? undefined : stacks.get(row.id)}
            after={row.id === null ? undefined : after.get(row.id)}
            ceiling={board.fill_ceiling}
            onChoose={onChoose}
          />
        ))}
        {drawn.receivers.map((row) => (
          <div
            key={row.key}
            className="mono"
            style={{
              position: "absolute",
              left: `${String((FLOW_TO / 760) * 100 + 1.5)}%`,
              top: row.y - 9,
              fontSize: 12,
            }}
          >
            {row.id === null ? (
              <span style={{ color: "var(--mute)" }}>{row.name}</span>
            ) : (
              <Link to={`/trace/pool/${String(row.id)}`} style={{ fontWeight: 600 }}>
                {row.name}
              </Link>
            )}{" "}
            <span style={{ color: "var(--tide)" }}>+{size(row.bytes)}</span>
          </div>
        ))}
      </div>
    </div>
  );
}

interface SourceProps {
  row: FlowRow;
  stack: Stack | undefined;
  after: number | undefined;
  ceiling: number;
  onChoose: (stack: Stack) => void;
}

function SourceRow({ row, stack, after, ceiling, onChoose }: SourceProps) {
  const share = (part: number) => `${String(part * 100)}%`;
  if (!stack)
    return (
      <div style={{ position: "absolute", top: row.y - 9, fontSize: 12, color: "var(--mute)" }}>
        {row.name}
      </div>
    );
  const then = after ?? stack.fill;
  return (
    <button
      type="button"
      onClick={() => {
        onChoose(stack);
      }}
      aria-label={`${stack.name}, ${formatShare(stack.fill)} full${after === undefined ? "" : `, ${formatShare(then)} after`}; its disks`}
      className="mono"
      style={{
        position: "absolute",
        top: row.y - 12,
        height: 24,
        width: `${String((FLOW_FROM / 760) * 100 - 1)}%`,
        display: "grid",
        gridTemplateColumns: `${String(NAMES_PX)}px minmax(40px, ${String(BAR_PX)}px) auto`,
        gap: 8,
        alignItems: "center",
        padding: 0,
        border: 0,
        background: "none",
        color: "inherit",
        fontSize: 12,
        textAlign: "left",
        cursor: "pointer",
      }}
    >
      <strong
        style={{
          color: stack.over ? "var(--buoyText)" : "inherit",
          overflow: "hidden",
          textOverflow: "ellipsis",
          whiteSpace: "nowrap",
        }}
      >
        {stack.name}
      </strong>
      <span style={{ position: "relative", height: 14, background: "var(--track)", display: "block" }}>
        <span
          style={{
            position: "absolute",
            inset: 0,
            right: "auto",
            width: share(then),
            background: "var(--heat2)",
          }}
        />
        {then < stack.fill && (
          <span
            style={{
              position: "absolute",
              top: 0,
              bottom: 0,
              left: share(then),
              width: share(stack.fill - then),
              boxSizing: "border-box",
              border: "1px dashed var(--buoy)",
            }}
          />
        )}
        <span
          style={{
            position: "absolute",
            top: -3,
            bottom: -3,
            left: share(ceiling),
            borderLeft: "2px solid var(--ink)",
          }}
        />
      </span>
      <span style={{ whiteSpace: "nowrap" }}>
        {formatShare(stack.fill)}
        {after !== undefined && formatShare(then) !== formatShare(stack.fill) && ` → ${formatShare(then)}`}
      </span>
    </button>
  );
}

interface HistogramProps {
  title: string;
  bins: readonly Bin[];
  /** Where it lies, 0 to 1. */
  ceiling: number;
  ends: readonly [string, string];
  word: (value: number) => string;
}

const TALL = 88;

/** Bars now, short lines after; those over the ceiling stand out. */
function Histogram({ title, bins, ceiling, ends, word }: HistogramProps) {
  const most = Math.max(1, ...bins.flatMap((bin) => [bin.now, bin.after]));
  const high = (count: number) => (count / most) * TALL;
  const said = (bin: Bin) =>
    `${word(bin.from)} to ${word(bin.to)}: ${String(bin.now)} now${bin.overNow ? `, ${String(bin.overNow)} of them over the ceiling` : ""}, ${String(bin.after)} after`;
  return (
    <div>
      <div style={{ color: "var(--mute)", fontSize: 12, marginBottom: 6 }}>{title}</div>
      <div
        role="list"
        aria-label={title}
        style={{ display: "flex", gap: 3, height: TALL, position: "relative" }}
      >
        {bins.map((bin, n) => (
          <div
            key={n}
            role="listitem"
            aria-label={said(bin)}
            title={said(bin)}
            style={{ flex: 1, position: "relative" }}
          >
            <div
              style={{
                position: "absolute",
                bottom: 0,
                left: 0,
                right: 0,
                height: high(bin.now),
                background: "var(--heat1)",
                borderTop: `${String(high(bin.overNow))}px solid var(--heat4)`,
                boxSizing: "border-box",
              }}
            />
            <div
              style={{
                position: "absolute",
                bottom: Math.max(0, high(bin.after) - 1),
                left: -1,
                right: -1,
                borderTop: "2px solid var(--ink)",
              }}
            />
          </div>
        ))}
        <span
          aria-hidden
          style={{
            position: "absolute",
            top: -6,
            bottom: 0,
            left: `${String(ceiling * 100)}%`,
            borderLeft: "2px solid var(--ink)",
          }}
        />
      </div>
      <div
        className="mono"
        style={{ display: "flex", justifyContent: "space-between", fontSize: 11, color: "var(--mute)" }}
      >
        <span>{ends[0]}</span>
        <span>{ends[1]}</span>
      </div>
    </div>
  );
}

interface TableProps {
  board: Board;
  plan: Plan | undefined;
  onChoose: (stack: Stack) => void;
}

interface StoreRow {
  stack: Stack;
  pool: string;
  after: number;
  leaves: number;
  arrives: number;
}

const keyOf = (row: StoreRow) => String(row.stack.id);
const emphasis = (row: StoreRow) => (row.stack.over ? ("over" as const) : undefined);

/** The picture's figures, a row a datastore. */
function StoreTable({ board, plan, onChoose }: TableProps) {
  const { size } = useUnit();
  const rows = useMemo(() => storeRows(board, plan), [board, plan]);
  const columns = useMemo(
    (): Column<StoreRow>[] => [
      {
        key: "datastore",
        head: "Datastore",
        value: (row) => row.stack.name,
        cell: (row) => <Link to={`/trace/datastore/${String(row.stack.id)}`}>{row.stack.name}</Link>,
        sticky: true,
      },
      { key: "pool", head: "Pool", value: (row) => row.pool },
      {
        key: "fill",
        head: "Fill",
        value: (row) => row.stack.fill,
        cell: (row) => formatShare(row.stack.fill),
        figures: true,
        width: 90,
      },
      {
        key: "after",
        head: "After",
        value: (row) => row.after,
        cell: (row) => formatShare(row.after),
        figures: true,
        width: 90,
      },
      {
        key: "leaves",
        csv: "leaves_bytes",
        head: "Leaves",
        value: (row) => row.leaves,
        cell: (row) => (row.leaves ? size(row.leaves) : "–"),
        figures: true,
        width: 110,
      },
      {
        key: "arrives",
        csv: "arrives_bytes",
        head: "Arrives",
        value: (row) => row.arrives,
        cell: (row) => (row.arrives ? size(row.arrives) : "–"),
        figures: true,
        width: 110,
      },
      {
        key: "disks",
        head: "Disks",
        value: (row) => row.stack.disks,
        cell: (row) => (
          <button
            type="button"
            onClick={() => {
              onChoose(row.stack);
            }}
            style={{
              font: "inherit",
              border: 0,
              background: "none",
              textDecoration: "underline",
              cursor: "pointer",
              color: "inherit",
            }}
            aria-label={`Disks of ${row.stack.name}`}
          >
            {row.stack.disks}
          </button>
        ),
        figures: true,
        width: 90,
      },
    ],
    [size, onChoose],
  );
  return (
    <DataTable
      name={`Datastores of ${board.name}`}
      columns={columns}
      rows={rows}
      rowKey={keyOf}
      emphasis={emphasis}
      sorting={{ key: "fill", descending: true }}
      empty="The group has no datastore."
    />
  );
}

function storeRows(board: Board, plan: Plan | undefined): StoreRow[] {
  const pools = new Map(board.pools.map((pool) => [pool.id, pool.name]));
  const fills = new Map((plan?.datastores ?? []).map((entry) => [entry.id, entry.fill]));
  const leaves = new Map<number, number>();
  const arrives = new Map<number, number>();
  for (const { source, target, size_bytes: bytes } of plan?.moves ?? NO_MOVES) {
    leaves.set(source, (leaves.get(source) ?? 0) + bytes);
    arrives.set(target, (arrives.get(target) ?? 0) + bytes);
  }
  return board.datastores.map((stack) => ({
    stack,
    pool: pools.get(stack.pool) ?? "",
    after: fills.get(stack.id) ?? stack.fill,
    leaves: leaves.get(stack.id) ?? 0,
    arrives: arrives.get(stack.id) ?? 0,
  }));
}
