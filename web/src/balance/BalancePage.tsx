import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { type ReactNode, useEffect, useMemo, useState } from "react";
import { Link, Navigate, useParams, useSearchParams } from "react-router";
import { useDraft } from "../lots/useDraft";
import { CsvButton } from "../parts/CsvButton";
import { countOf, formatHour, formatMs, formatShare } from "../parts/format";
import { HourStrip } from "../parts/HourStrip";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useTray } from "../shell/trayState";
import { useSession } from "../shell/useSession";
import { heatColour } from "../theme/tokens";
import { MoveTable } from "./MoveTable";
import { StackBoard } from "./StackBoard";
import { type Board, type Plan, useBalanceDraft, useBoard } from "./useBoard";
import { useGroups } from "./useGroups";

const COLUMNS = 24;

/** A balance group: its stack board, the plan, and what it predicts. */
export function BalancePage() {
  const { group } = useParams();
  const groups = useGroups();
  if (group) return <Group name={group} key={group} />;
  const first = groups.data?.[0];
  if (first) return <Navigate to={`/balance/${encodeURIComponent(first.name)}`} replace />;
  return (
    <>
      <Typography variant="h1" sx={{ mb: 1.5 }}>
        Balance
      </Typography>
      <ProblemAlert error={groups.error} />
      {groups.data && (
        <Typography>
          There is no group yet. Groups come with the clusters of linked hosts: link an array and its hosts
          under <Link to="/devices">Devices</Link>.
        </Typography>
      )}
    </>
  );
}

function Group({ name }: { name: string }) {
  const [search] = useSearchParams();
  const lot = Number(search.get("lot")) || null;
  const board = useBoard(name);
  const { draft, put } = useBalanceDraft(lot);
  const { data: session } = useSession();
  const newDraft = useDraft();
  const { show } = useTray();
  useEffect(() => {
    if (lot) show(lot);
  }, [lot, show]);
  const inDraft = draft.data?.lot.summary.state === "draft";
  const plan = (inDraft && draft.data?.plan) || undefined;
  const mayChange = session?.may_change ?? false;
  useTrayStrip(board.data, plan);
  const move = (disk: number, target: number) => {
    const home = board.data?.datastores.find((stack) => stack.blocks.some((block) => block.id === disk));
    const others = planMoves(plan).filter((entry) => entry.disk !== disk);
    const moves = home?.id === target ? others : [...others, { disk, target }];
    if (inDraft) put.mutate(moves);
    else newDraft.mutate({ kind: "balance", form: { group: name, moves } });
  };
  return (
    <>
      {board.data && (
        <Header
          board={board.data}
          onPlan={
            mayChange
              ? () => {
                  newDraft.mutate({ kind: "balance", form: { group: name } });
                }
              : undefined
          }
          busy={newDraft.isPending}
          planned={inDraft}
        />
      )}
      <ProblemAlert error={board.error ?? draft.error ?? put.error ?? newDraft.error} />
      {board.data && (
        <Box
          sx={{ border: "1px solid var(--line)", borderRadius: "6px", background: "var(--card)", mb: 1.5 }}
        >
          <Columns board={board.data} plan={plan} editable={mayChange} onMove={move} />
        </Box>
      )}
      {plan && (
        <MoveTable
          plan={plan}
          editable={mayChange}
          onRemove={(disk) => {
            put.mutate(planMoves(plan).filter((entry) => entry.disk !== disk));
          }}
        />
      )}
    </>
  );
}

/** A plan's moves by final target: a staged disk counts once. */
function planMoves(plan: Plan | undefined): { disk: number; target: number }[] {
  return [
    ...new Map(
      (plan?.moves ?? []).map((entry) => [entry.disk, { disk: entry.disk, target: entry.target }]),
    ).values(),
  ];
}

function useTrayStrip(board: Board | undefined, plan: Plan | undefined) {
  const { setExtra } = useTray();
  const strip: ReactNode = useMemo(() => {
    const pool = board && [...board.pools].sort((a, b) => b.peak_ms - a.peak_ms)[0];
    if (!pool) return null;
    const after = plan?.pools.find((entry) => entry.id === pool.id)?.latency_ms;
    return (
      <Box sx={{ p: "12px 14px", borderBottom: "1px solid var(--line)" }}>
        <Box sx={{ display: "flex", justifyContent: "space-between", mb: 0.75 }}>
          <strong>{pool.name}, hour by hour</strong>{" "}
          <span className="mono" style={{ fontSize: 12 }}>
            ms
          </span>
        </Box>
        <HourStrip
          title={`Latency of ${pool.name} by weekday hour`}
          now={pool.latency_ms}
          {...(after ? { after } : {})}
          ceiling={board.latency_ceiling_ms}
        />
        <div style={{ fontSize: 12, color: "var(--mute)", marginTop: 4 }}>
          {pool.cautious
            ? "Cautious curve: too little load was seen."
            : `Curve of ${countOf(pool.fit_samples, "hour")}, typically ${pool.fit_error_ms.toFixed(2)} ms off.`}
        </div>
      </Box>
    );
  }, [board, plan]);
  useEffect(() => {
    setExtra(strip);
    return () => {
      setExtra(null);
    };
  }, [strip, setExtra]);
}

interface HeaderProps {
  board: Board;
  onPlan: (() => void) | undefined;
  busy: boolean;
  planned: boolean;
}

function Header({ board, onPlan, busy, planned }: HeaderProps) {
  const full = board.datastores.filter((stack) => stack.over).length;
  const slow = board.pools.filter((pool) => pool.over);
  const worst = [...slow].sort((a, b) => b.peak_ms - a.peak_ms)[0];
  const chips = [
    `${countOf(board.datastores.length, "datastore")} · ${countOf(board.disks, "disk")}`,
    `Fill ceiling ${formatShare(board.fill_ceiling)}`,
    `Latency ceiling ${formatMs(board.latency_ceiling_ms)} at peak hour`,
    "Advise only",
  ];
  return (
    <>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap", mb: 0.75 }}>
        <Typography variant="h1" sx={{ mr: 0.5 }}>
          Group {board.name}
        </Typography>
        {chips.map((chip) => (
          <span
            key={chip}
            style={{
              border: "1px solid var(--line)",
              background: "var(--card)",
              borderRadius: 4,
              padding: "3px 9px",
              fontSize: 12.5,
            }}
          >
            {chip}
          </span>
        ))}
        <Box sx={{ flex: 1 }} />
        {onPlan && (
          <Button variant={planned ? "outlined" : "contained"} onClick={onPlan} disabled={busy}>
            {busy ? "Planning…" : planned ? "Plan anew" : "Draft lot"}
          </Button>
        )}
      </Box>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 1 }}>
        <Typography sx={{ color: full + slow.length ? "var(--buoyText)" : "var(--mute)", flex: 1 }}>
          {full + slow.length === 0 && "■ Every ceiling holds."}
          {full > 0 && `▲ ${String(full)} datastore${full > 1 ? "s" : ""} over the fill ceiling. `}
          {worst &&
            `▲ ${worst.name} answers in ${formatMs(worst.peak_ms)} at ${formatHour(worst.peak_hour)}.`}
        </Typography>
        <CsvButton
          name={`disks of ${board.name}`}
          heads={["datastore", "fill", "disk", "machine", "size_bytes", "heat_per_gib", "pinned"]}
          rows={() =>
            board.datastores.flatMap((stack) =>
              stack.blocks.map((block) => [
                stack.name,
                stack.fill,
                block.name,
                block.machine,
                block.size_bytes,
                block.heat,
                block.pinned,
              ]),
            )
          }
        />
        <Typography color="textSecondary" sx={{ fontSize: 12 }}>
          peak-hour heat
        </Typography>
        <Box aria-hidden sx={{ display: "flex" }}>
          {[0, 1, 2, 3, 4, 5].map((level) => (
            <span key={level} style={{ width: 18, height: 10, background: heatColour(level) }} />
          ))}
        </Box>
        <Typography color="textSecondary" sx={{ fontSize: 12 }}>
          cool → hot
        </Typography>
      </Box>
    </>
  );
}

interface ColumnsProps {
  board: Board;
  plan: Plan | undefined;
  editable: boolean;
  onMove: (disk: number, target: number) => void;
}

/** At most 24 datastores at once: those over a ceiling or part of the plan first, the rest page by page. */
function Columns({ board, plan, editable, onMove }: ColumnsProps) {
  const [page, setPage] = useState(0);
  const involved = new Set((plan?.moves ?? []).flatMap((entry) => [entry.source, entry.target]));
  const weight = (id: number, over: boolean) => (over || involved.has(id) ? 0 : 1);
  const crowded = board.datastores.length > COLUMNS;
  const sorted = crowded
    ? [...board.datastores].sort((a, b) => weight(a.id, a.over) - weight(b.id, b.over))
    : board.datastores;
  const shown = sorted.slice(page * COLUMNS, (page + 1) * COLUMNS);
  const byPool = [...shown].sort((a, b) => a.pool - b.pool || a.name.localeCompare(b.name));
  const pools = [...board.pools].sort((a, b) => a.id - b.id);
  return (
    <>
      {crowded && (
        <Box sx={{ display: "flex", gap: 1, alignItems: "center", p: "8px 12px" }}>
          <span>
            Datastores {page * COLUMNS + 1} to {Math.min((page + 1) * COLUMNS, sorted.length)} of{" "}
            {sorted.length}, those that matter first
          </span>
          <Button
            disabled={page === 0}
            onClick={() => {
              setPage(page - 1);
            }}
          >
            Previous
          </Button>
          <Button
            disabled={(page + 1) * COLUMNS >= sorted.length}
            onClick={() => {
              setPage(page + 1);
            }}
          >
            Next
          </Button>
        </Box>
      )}
      <StackBoard
        board={{ ...board, pools }}
        stacks={byPool}
        plan={plan}
        editable={editable}
        onMove={onMove}
      />
    </>
  );
}
