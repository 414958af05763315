import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useEffect, useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { useGroups } from "../balance/useGroups";
import { useDraft } from "../lots/useDraft";
import { formatSize } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { useTray } from "../shell/trayState";
import { useSession } from "../shell/useSession";
import { useStatus } from "../shell/useStatus";
import { PathBoard } from "./PathBoard";
import { PoolFits } from "./PoolFits";
import { type AttachForm, useAttachDraft } from "./useAttachDraft";

const TYPING_MS = 250;

/** Attach storage: the form and its plan at the left, steps and checks in the tray. */
export function AttachPage() {
  const [search] = useSearchParams();
  const id = Number(search.get("lot")) || null;
  return id ? <AttachDraft key={id} id={id} /> : <AttachStart />;
}

function AttachStart() {
  const { data: session } = useSession();
  const { data: status } = useStatus();
  const draft = useDraft();
  return (
    <>
      <Typography variant="h1" sx={{ mb: 1.5 }}>
        Attach storage
      </Typography>
      <ProblemAlert error={draft.error} />
      {status?.devices === 0 ? (
        <Typography>
          Link an array and its hosts first, under <Link to="/devices">Devices</Link>.
        </Typography>
      ) : (
        <Box sx={{ display: "grid", gridTemplateColumns: "minmax(240px, 420px)", gap: 1.5 }}>
          <Button
            variant="outlined"
            disabled={!session?.may_change || draft.isPending}
            onClick={() => {
              draft.mutate({ kind: "attach", form: {} });
            }}
            sx={{ display: "block", textAlign: "left", p: 1.5, border: "2px solid var(--ink)" }}
          >
            <strong>Block volume</strong>
            <span style={{ display: "block", fontWeight: 400, color: "var(--mute)" }}>
              made on an array, shared by the hosts of a cluster over iSCSI, formatted once, mounted
              everywhere
            </span>
          </Button>
          {session && !session.may_change && (
            <Typography color="textSecondary">Your role reads only; it may not draft lots.</Typography>
          )}
          <Typography variant="h2" component="h2" sx={{ mt: 1.5 }}>
            Before others work on it
          </Typography>
          <Typography>
            <Link to="/attach/loss">What if a component is taken away</Link>: which machines stop, which lose
            redundancy, and whose they are.
          </Typography>
        </Box>
      )}
    </>
  );
}

const EMPTY: AttachForm = { cluster: "", name: "", size: "", pool: "", fixes: [] };

/** The form as typed, kept on the server a moment after each key. */
function useTypedForm(id: number) {
  const { draft, save } = useAttachDraft(id);
  const [typed, setTyped] = useState<AttachForm | null>(null);
  const timer = useRef<number | undefined>(undefined);
  // What was typed here counts before what is stored, which follows a moment later.
  const form = typed ?? draft.data?.form ?? EMPTY;
  const { mutate } = save;
  const change = (part: Partial<AttachForm>) => {
    const next = { ...form, ...part };
    setTyped(next);
    window.clearTimeout(timer.current);
    timer.current = window.setTimeout(() => {
      mutate(next);
    }, TYPING_MS);
  };
  return { draft, save, form, change };
}

function AttachDraft({ id }: { id: number }) {
  const { draft, save, form, change } = useTypedForm(id);
  const { data: groups } = useGroups();
  const { data: session } = useSession();
  const { unit } = useUnit();
  const { show } = useTray();
  useEffect(() => {
    show(id);
  }, [id, show]);
  const plan = draft.data?.plan;
  const state = draft.data?.lot.summary.state ?? "draft";
  const fixed = state !== "draft" || !session?.may_change;
  const problem = (field: string) => plan?.problems.find((entry) => entry.field === field);
  const sizeHint = plan?.size_bytes
    ? `${formatSize(plan.size_bytes, unit === "TiB" ? "TB" : "TiB")} as the ${unit === "TiB" ? "array" : "host"} counts`
    : "a number and a unit, as 2 TiB";
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mb: 1.5 }}>
        <Typography variant="h1">Attach storage to {plan?.cluster || "a cluster"}</Typography>
        {plan && (
          <span
            style={{
              border: "1px solid var(--line)",
              background: "var(--card)",
              borderRadius: 4,
              padding: "2px 8px",
            }}
          >
            {plan.hosts.length} hosts
          </span>
        )}
        {fixed && (
          <Typography color="textSecondary">
            {state === "draft" ? (
              "Your role reads only."
            ) : (
              <>
                Lot {id} is {state}. <Link to="/attach">Attach another</Link>
              </>
            )}
          </Typography>
        )}
      </Box>
      <ProblemAlert error={draft.error ?? save.error} />
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: "1.1fr 1.4fr 1fr",
          gap: 1.5,
          mb: 1.5,
          alignItems: "start",
        }}
      >
        <TextField
          select
          label="Cluster"
          value={plan?.cluster ?? ""}
          disabled={fixed}
          onChange={(event) => {
            change({ cluster: event.target.value });
          }}
        >
          {(groups ?? []).map((group) => (
            <MenuItem key={group.id} value={group.name}>
              {group.name}
            </MenuItem>
          ))}
          {plan && !(groups ?? []).some((group) => group.name === plan.cluster) && (
            <MenuItem value={plan.cluster}>{plan.cluster || "none"}</MenuItem>
          )}
        </TextField>
        <TextField
          label="Datastore name"
          autoFocus
          value={form.name}
          disabled={fixed}
          error={!!problem("name")}
          onChange={(event) => {
            change({ name: event.target.value });
          }}
          helperText={
            problem("name")
              ? `${problem("name")?.message ?? ""} ${problem("name")?.hint ?? ""}`
              : "the volume on the array gets the same"
          }
        />
        <TextField
          label="Size"
          value={form.size}
          disabled={fixed}
          error={!!problem("size")}
          onChange={(event) => {
            change({ size: event.target.value });
          }}
          helperText={
            problem("size") ? `${problem("size")?.message ?? ""} ${problem("size")?.hint ?? ""}` : sizeHint
          }
        />
      </Box>
      {plan && (
        <Box sx={{ display: "grid", gap: 1.5 }}>
          <PoolFits
            plan={plan}
            disabled={fixed}
            choose={(pool) => {
              change({ pool });
            }}
          />
          {plan.board && <PathBoard board={plan.board} title="Paths the hosts will have" />}
          {plan.fixable.map((host) => (
            <Box
              key={host}
              sx={{
                display: "flex",
                gap: 1.5,
                alignItems: "center",
                p: 1.25,
                border: "1px solid var(--brass)",
                borderRadius: "6px",
                background: "var(--brassSoft)",
              }}
            >
              <span style={{ flex: 1 }}>
                <strong>{host}</strong> will miss paths:{" "}
                {plan.board?.hosts.find((row) => row.name === host)?.reason}. The lot can bind the interface
                to one uplink first.
              </span>
              <Button
                variant="outlined"
                disabled={fixed}
                onClick={() => {
                  change({ fixes: [...form.fixes, host] });
                }}
              >
                Add the fix as step 1
              </Button>
            </Box>
          ))}
        </Box>
      )}
    </>
  );
}
