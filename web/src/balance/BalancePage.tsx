import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useCallback, useMemo, useState } from "react";
import { Link, Navigate, useParams, useSearchParams } from "react-router";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { JobNote } from "../jobs/JobNote";
import { useDraftForm } from "../lots/drafts/useDraftForm";
import { useDraft, useLongDraft } from "../lots/useDraft";
import { Chip } from "../parts/Chip";
import { countOf, formatHour, formatMs } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { Alternatives } from "./Alternatives";
import { AimChoice, aimOf, CLEARING, type TypedAim } from "./AimChoice";
import { CeilingChips } from "./Ceilings";
import { useShowStrip } from "./HourPart";
import { LargeGroup } from "./LargeGroup";
import { MoveTable } from "./MoveTable";
import {
  type Aim,
  alternativesQuery,
  type Board,
  boardQuery,
  CLOCK_MS,
  draftQuery,
  groupsQuery,
  type MoveRequest,
  type Plan,
} from "./queries";
import { StackBoard } from "./StackBoard";

type Form = Schemas["BalanceForm"];

const pathOf = (group: string, lot: number | null) =>
  `/balance/${encodeURIComponent(group)}${lot ? `?lot=${String(lot)}` : ""}`;

/** Balance: the group of the draft that is asked for, else the one asked for, else the first. */
export function BalancePage() {
  const { group } = useParams();
  const [search] = useSearchParams();
  const lot = Number(search.get("lot")) || null;
  if (group && lot) return <DraftedGroup key={`${group} ${String(lot)}`} name={group} lot={lot} />;
  if (group) return <PlainGroup key={group} name={group} />;
  return lot ? <GroupOfDraft lot={lot} /> : <FirstGroup />;
}

function GroupOfDraft({ lot }: { lot: number }) {
  const { data, error } = useQuery(draftQuery(lot));
  if (data) return <Navigate to={pathOf(data.form.group, lot)} replace />;
  return <Page title="Balance" error={error} loading />;
}

function FirstGroup() {
  const { data, error } = useQuery(groupsQuery());
  const first = data?.[0];
  if (first) return <Navigate to={pathOf(first.name, null)} replace />;
  return (
    <Page title="Balance" error={error} loading={!data}>
      <Typography>
        There is no group yet. Groups come with the clusters of linked hosts: link an array and its hosts
        under <Link to="/devices">Devices</Link>.
      </Typography>
    </Page>
  );
}

/** A group without a draft: moving a block begins one. */
function PlainGroup({ name }: { name: string }) {
  const draft = useDraft();
  const planning = useLongDraft();
  const [aim, setAim] = useState(CLEARING);
  const wanted = aimOf(aim);
  const { data: session } = useSession();
  const free = (session?.may_change ?? false) && !draft.isPending && !planning.isPending;
  const { mutate } = draft;
  const move = useCallback(
    (moves: readonly MoveRequest[]) => {
      mutate({ kind: "balance", form: { group: name, moves: [...moves] } });
    },
    [mutate, name],
  );
  const { start } = planning;
  const draftAim = useCallback(
    (asked: Aim) => {
      start({ kind: "balance", form: { group: name, ...asked } });
    },
    [start, name],
  );
  return (
    <Group
      name={name}
      plan={undefined}
      error={draft.error ?? planning.error}
      move={free ? move : null}
      draft={free ? draftAim : null}
      actions={
        session?.may_change && (
          <>
            <PlanNote job={planning} />
            <AimChoice value={aim} onChange={setAim} />
            <Button
              variant="contained"
              disabled={!free || !wanted}
              onClick={() => {
                if (wanted) draftAim(wanted);
              }}
            >
              Draft lot
            </Button>
          </>
        )
      }
    />
  );
}

/** How far the plan of a group is; the best that was found is worth having at any time. */
function PlanNote({ job }: { job: Parameters<typeof JobNote>[0]["job"] }) {
  return <JobNote job={job} begun="looking for the plan" end="Take the best so far" />;
}

/** The moves with more of them, in place of others of the same disks; the server leaves out those that change nothing. */
function withMoves(moves: readonly MoveRequest[], more: readonly MoveRequest[]): MoveRequest[] {
  const disks = new Set(more.map((move) => move.disk));
  return [...moves.filter((move) => !disks.has(move.disk)), ...more];
}

/** A group with a draft: moves are kept while they are made, each on the latest. */
function DraftedGroup({ name, lot }: { name: string; lot: number }) {
  const params = { path: { id: lot } };
  const draft = useDraftForm(lot, {
    stored: draftQuery(lot),
    store: (body: Form, seen) => unwrap(api.PUT("/api/balance/drafts/{id}/", { params, ...seen, body })),
  });
  const anew = useLongDraft();
  const [typed, setTyped] = useState<TypedAim | null>(null);
  const { data: session } = useSession();
  const { fixed, edit, answer, saving, retry } = draft;
  const plan = draft.state === "draft" ? (answer?.plan ?? undefined) : undefined;
  const aim = typed ?? aimTyped(answer?.form);
  const wanted = aimOf(aim);
  const move = useCallback(
    (moves: readonly MoveRequest[]) => {
      edit((form) => ({ ...form, moves: withMoves(form.moves ?? [], moves) }));
    },
    [edit],
  );
  const remove = useCallback(
    (disk: number) => {
      edit((form) => ({ ...form, moves: (form.moves ?? []).filter((each) => each.disk !== disk) }));
    },
    [edit],
  );
  const { start } = anew;
  const draftAim = useCallback(
    (asked: Aim) => {
      start({ kind: "balance", form: { group: name, ...asked } });
    },
    [start, name],
  );
  return (
    <Group
      name={name}
      plan={plan}
      error={draft.error ?? saving?.error ?? anew.error}
      move={fixed ? null : move}
      remove={fixed ? null : remove}
      draft={session?.may_change && !anew.isPending ? draftAim : null}
      actions={
        <>
          {saving?.state === "failed" && (
            <Button variant="outlined" onClick={retry}>
              Store again
            </Button>
          )}
          {saving && !fixed && saving.state !== "saved" && (
            <Typography role="status" color="textSecondary" sx={{ fontSize: 12 }}>
              {saving.state === "failed" ? "▲ not stored" : "◪ computing what it comes to…"}
            </Typography>
          )}
          {session?.may_change && (
            <>
              <PlanNote job={anew} />
              <AimChoice value={aim} onChange={setTyped} />
              <Button
                variant="outlined"
                disabled={anew.isPending || !wanted}
                onClick={() => {
                  if (wanted) draftAim(wanted);
                }}
              >
                Plan anew
              </Button>
            </>
          )}
        </>
      }
    />
  );
}

const aimTyped = (form: Form | undefined): TypedAim =>
  form?.aim === "even" ? { even: true, gain: String(form.least_gain) } : CLEARING;

interface GroupProps {
  name: string;
  plan: Plan | undefined;
  error: unknown;
  /** Null where nothing may be moved. */
  move: ((moves: readonly MoveRequest[]) => void) | null;
  remove?: ((disk: number) => void) | null;
  /** Null where no plan may be drafted now. */
  draft: ((aim: Aim) => void) | null;
  actions: ReactNode;
}

/** A balance group: its picture, the plan, and what it predicts. */
function Group({ name, plan, error, move, remove = null, draft, actions }: GroupProps) {
  const { data: board, error: unread } = useQuery(boardQuery(name));
  const groups = useQuery(groupsQuery());
  const plans = useQuery(alternativesQuery(name));
  useShowStrip(board, plan);
  return (
    <Page
      title={`Group ${name}`}
      stage="balance"
      error={unread ?? error}
      loading={!board}
      note={board && <Facts board={board} />}
      actions={actions}
    >
      {board && (
        <>
          <Standing board={board} others={(groups.data ?? []).map((group) => group.name)} />
          {board.large ? (
            <LargeGroup board={board} plan={plan} move={move} />
          ) : (
            <StackBoard board={board} plan={plan} move={move} />
          )}
          <ProblemAlert error={unread ? error : plans.error} />
          <Alternatives board={board} plans={plans.data ?? []} draft={draft} />
          {plan && <MoveTable plan={plan} onRemove={remove} />}
        </>
      )}
    </Page>
  );
}

function Facts({ board }: { board: Board }) {
  const { data: session } = useSession();
  const { data: groups } = useQuery({ ...groupsQuery(), refetchInterval: CLOCK_MS });
  const inForce = groups?.find((group) => group.name === board.name)?.in_force;
  return (
    <>
      <Chip>{`${countOf(board.datastores.length, "datastore")} · ${countOf(board.disks, "disk")}`}</Chip>
      <CeilingChips board={board} mayChange={session?.may_change ?? false} />
      {inForce ? (
        <Chip>
          <Link to={`/balance/week?group=${encodeURIComponent(board.name)}`} style={{ color: "inherit" }}>
            {inForce}
          </Link>
        </Chip>
      ) : (
        <Chip>Advise only</Chip>
      )}
    </>
  );
}

/** How the group stands towards its ceilings, and the way to other groups. */
function Standing({ board, others }: { board: Board; others: readonly string[] }) {
  const full = board.datastores.filter((stack) => stack.over).length;
  const slow = useMemo(
    () => board.pools.filter((pool) => pool.over).sort((a, b) => b.peak_ms - a.peak_ms),
    [board.pools],
  );
  const [worst] = slow;
  return (
    <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 1, flexWrap: "wrap" }}>
      <Typography sx={{ color: full + slow.length ? "var(--buoyText)" : "var(--mute)", flex: 1 }}>
        {full + slow.length === 0 && "■ Every ceiling holds."}
        {full > 0 && `▲ ${countOf(full, "datastore")} over the fill ceiling. `}
        {worst &&
          `▲ ${worst.name} answers in ${formatMs(worst.peak_ms)} at ${formatHour(worst.peak_hour)}${slow.length > 1 ? `, and ${countOf(slow.length - 1, "more pool is", "more pools are")} over the latency ceiling` : ""}.`}
        {worst && (
          <>
            {" "}
            <Link to={`/balance/neighbours?pool=${String(worst.id)}`}>Who makes it slow</Link>
          </>
        )}
      </Typography>
      {others.length > 1 && (
        <Box component="nav" aria-label="Other groups" sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
          {others
            .filter((other) => other !== board.name)
            .map((other) => (
              <Link key={other} to={pathOf(other, null)}>
                {other}
              </Link>
            ))}
        </Box>
      )}
    </Box>
  );
}
