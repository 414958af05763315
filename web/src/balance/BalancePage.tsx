import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useCallback, useMemo } from "react";
import { Link, Navigate, useParams, useSearchParams } from "react-router";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { useDraftForm } from "../lots/drafts/useDraftForm";
import { useDraft } from "../lots/useDraft";
import { Chip } from "../parts/Chip";
import { countOf, formatHour, formatMs, formatShare } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { useShowStrip } from "./HourPart";
import { LargeGroup } from "./LargeGroup";
import { MoveTable } from "./MoveTable";
import { type Board, boardQuery, draftQuery, groupsQuery, type MoveRequest, type Plan } from "./queries";
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
  const { data: session } = useSession();
  const free = (session?.may_change ?? false) && !draft.isPending;
  const { mutate } = draft;
  const move = useCallback(
    (moves: readonly MoveRequest[]) => {
      mutate({ kind: "balance", form: { group: name, moves: [...moves] } });
    },
    [mutate, name],
  );
  return (
    <Group
      name={name}
      plan={undefined}
      error={draft.error}
      move={free ? move : null}
      actions={
        session?.may_change && (
          <Button
            variant="contained"
            disabled={draft.isPending}
            onClick={() => {
              mutate({ kind: "balance", form: { group: name } });
            }}
          >
            {draft.isPending ? "Planning…" : "Draft lot"}
          </Button>
        )
      }
    />
  );
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
  const anew = useDraft();
  const { data: session } = useSession();
  const { fixed, edit, answer, saving, retry } = draft;
  const plan = draft.state === "draft" ? (answer?.plan ?? undefined) : undefined;
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
  return (
    <Group
      name={name}
      plan={plan}
      error={draft.error ?? saving?.error ?? anew.error}
      move={fixed ? null : move}
      remove={fixed ? null : remove}
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
            <Button
              variant="outlined"
              disabled={anew.isPending}
              onClick={() => {
                anew.mutate({ kind: "balance", form: { group: name } });
              }}
            >
              {anew.isPending ? "Planning…" : "Plan anew"}
            </Button>
          )}
        </>
      }
    />
  );
}

interface GroupProps {
  name: string;
  plan: Plan | undefined;
  error: unknown;
  /** Null where nothing may be moved. */
  move: ((moves: readonly MoveRequest[]) => void) | null;
  remove?: ((disk: number) => void) | null;
  actions: ReactNode;
}

/** A balance group: its picture, the plan, and what it predicts. */
function Group({ name, plan, error, move, remove = null, actions }: GroupProps) {
  const { data: board, error: unread } = useQuery(boardQuery(name));
  const groups = useQuery(groupsQuery());
  useShowStrip(board, plan);
  return (
    <Page
      title={`Group ${name}`}
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
          <ProblemAlert error={unread ? error : null} />
          {plan && <MoveTable plan={plan} onRemove={remove} />}
        </>
      )}
    </Page>
  );
}

function Facts({ board }: { board: Board }) {
  return (
    <>
      <Chip>{`${countOf(board.datastores.length, "datastore")} · ${countOf(board.disks, "disk")}`}</Chip>
      <Chip>Fill ceiling {formatShare(board.fill_ceiling)}</Chip>
      <Chip>Latency ceiling {formatMs(board.latency_ceiling_ms)} at peak hour</Chip>
      <Chip>Advise only</Chip>
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
