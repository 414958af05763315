import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useLocation, useNavigate } from "react-router";
import { countOf, formatSeconds } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { pageWithout } from "../shell/pages";
import { useTray } from "../shell/trayState";
import { useSession } from "../shell/useSession";
import { useShortcuts } from "../shell/useShortcuts";
import { isActive, type LotDetail } from "./queries";
import { SheetLinks } from "./SheetLinks";
import { useLotActions } from "./useLotActions";

interface Props {
  lot: LotDetail;
  /** Whether keys act on this lot: not where another one is shown beside it. */
  keyed?: boolean;
}

/** What can be done with a lot now: check, run, halt, undo, drop; with what it takes and whether it can be taken back. */
export function LotButtons({ lot, keyed = true }: Props) {
  const id = lot.summary.id;
  const { data: session } = useSession();
  const { check, run, halt, undo, carriedOut, drop, error, busy } = useLotActions(id, lot.version);
  const leave = useLeave(id);
  const reading = run.isPending ? run : check;
  const state = lot.summary.state;
  const draft = state === "draft";
  const mayChange = session?.may_change ?? false;
  useShortcuts({
    c: () => {
      if (keyed && draft && mayChange && !busy) check.start();
    },
  });
  if (!mayChange) {
    return (
      <Box sx={{ p: "12px 14px", borderTop: "1px solid var(--line)", color: "var(--mute)" }}>
        Your role reads only.
      </Box>
    );
  }
  return (
    <Box sx={{ p: "12px 14px", borderTop: "1px solid var(--line)" }}>
      <ProblemAlert error={error} />
      <NotKnown lot={lot} />
      <Restored lot={lot} />
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
        {(draft || ((state === "halted" || state === "failed") && lot.can_run)) && (
          <Button
            variant="contained"
            disabled={!lot.can_run || busy}
            onClick={() => {
              run.start();
            }}
          >
            {!draft ? "Continue" : lot.by_hand ? "Make run sheet" : "Run lot"}
          </Button>
        )}
        {draft && (
          <Button
            variant="outlined"
            disabled={busy}
            onClick={() => {
              check.start();
            }}
            aria-keyshortcuts="c"
          >
            {check.isPending ? "Reading…" : "Check"}
          </Button>
        )}
        {isActive(state) && (
          <Button
            variant="outlined"
            disabled={busy || state === "halting"}
            onClick={() => {
              halt.mutate();
            }}
          >
            Halt
          </Button>
        )}
        {lot.can_undo && (
          <Button
            variant="outlined"
            disabled={busy}
            onClick={() => {
              undo.mutate();
            }}
          >
            Undo
          </Button>
        )}
        {state === "sheet" && (
          <>
            <Button
              variant="contained"
              disabled={busy}
              onClick={() => {
                carriedOut.mutate();
              }}
            >
              Carried out
            </Button>
            <SheetLinks lot={id} />
          </>
        )}
        {draft && (
          <Button
            disabled={busy}
            onClick={() => {
              drop.mutate(undefined, { onSuccess: leave });
            }}
          >
            Drop
          </Button>
        )}
        {reading.isPending && (
          <Button
            onClick={() => {
              reading.cancel();
            }}
          >
            Stop reading
          </Button>
        )}
        <span style={{ color: "var(--mute)", fontSize: 12, flex: 1, minWidth: 90 }}>
          {reading.progress || hintOf(lot)}
        </span>
      </Box>
    </Box>
  );
}

/** Which devices have not said yet what they did, what Move Lot does about it, and what that keeps others from. */
function NotKnown({ lot }: { lot: LotDetail }) {
  const unknown = lot.steps.filter((step) => step.state === "unknown");
  const devices = [...new Set(unknown.map((step) => step.device))];
  if (devices.length === 0) return null;
  const named = devices.slice(0, NAMED).join(", ");
  const more = devices.length > NAMED ? ` and ${countOf(devices.length - NAMED, "more device")}` : "";
  return (
    <Alert severity="warning" variant="outlined" sx={{ mb: 1, py: 0 }}>
      It is not known what {countOf(unknown.length, "step")} did on {named}
      {more}. Each device is asked as soon as it answers; until then no other lot has it, and an undo waits.
    </Alert>
  );
}

const NAMED = 3;

/** After a restore from a backup, once the devices were asked: how far they are from what the lot believed. */
function Restored({ lot }: { lot: LotDetail }) {
  const asked = lot.steps.filter((step) => step.believed && step.state !== "unknown");
  if (asked.length === 0) return null;
  const other = asked.filter((step) => step.believed !== step.state).length;
  return (
    <Alert severity="info" variant="outlined" sx={{ mb: 1, py: 0 }}>
      This lot was under way in the backup that was restored.{" "}
      {other === 0
        ? "Its devices say what it believed."
        : `On the devices ${countOf(other, "step is", "steps are")} otherwise than it believed.`}{" "}
      Nothing goes on by itself.
    </Alert>
  );
}

/** Goes away from the page of a lot that was dropped, and empties the tray of it. */
function useLeave(id: number) {
  const { lot, show } = useTray();
  const navigate = useNavigate();
  const { pathname, search } = useLocation();
  return () => {
    if (lot === id) show(null);
    if (pathname === `/lots/${String(id)}`) void navigate("/lots");
    else if (new URLSearchParams(search).get("lot") === String(id)) void navigate(pageWithout(pathname));
  };
}

function hintOf(lot: LotDetail): string {
  const { state, undoes, undone_by: undoneBy } = lot.summary;
  if (state === "draft" && lot.by_hand) return "people carry it out by its run sheet";
  if (state === "draft")
    return lot.steps.length
      ? `about ${formatSeconds(lot.estimate_seconds)}${undoes ? "" : lot.reversible ? ", can be undone" : ", cannot be undone"}`
      : "";
  if (state === "running") return lot.seconds_left === null ? "" : `${formatSeconds(lot.seconds_left)} left`;
  if (undoneBy) return `undone by lot ${String(undoneBy)}`;
  return "";
}
