import Box from "@mui/material/Box";
import FormControlLabel from "@mui/material/FormControlLabel";
import Radio from "@mui/material/Radio";
import RadioGroup from "@mui/material/RadioGroup";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useEffect, useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { Schemas } from "../api/problem";
import { FactList } from "../parts/FactList";
import { Mark } from "../parts/Mark";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { useTray } from "../shell/trayState";
import { useSession } from "../shell/useSession";
import { useDetachDraft } from "./useDetachDraft";

type Plan = Schemas["DetachPlan"];

/** Taking a volume away: who uses it, whether it stays on the array, and its name before it is deleted. */
export function DetachPage() {
  const [search] = useSearchParams();
  const id = Number(search.get("lot")) || null;
  if (id) return <DetachDraft key={id} id={id} />;
  return (
    <>
      <Typography variant="h1" sx={{ mb: 1.5 }}>
        Take a volume away
      </Typography>
      <Typography>
        Find the volume or its datastore with <kbd>/</kbd>, open its trace, and press Take away.
      </Typography>
    </>
  );
}

function DetachDraft({ id }: { id: number }) {
  const { draft, save } = useDetachDraft(id);
  const { data: session } = useSession();
  const { show } = useTray();
  const [confirm, setConfirm] = useState<string | null>(null);
  useEffect(() => {
    show(id);
  }, [id, show]);
  const plan = draft.data?.plan;
  const state = draft.data?.lot.summary.state ?? "draft";
  const fixed = state !== "draft" || !session?.may_change;
  if (draft.error) return <ProblemAlert error={draft.error} />;
  if (!draft.data) return null;
  if (!plan) return <Typography>This volume is no longer on any array.</Typography>;
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 1.5, mb: 1.5 }}>
        <Typography variant="h1">Take {plan.volume} away</Typography>
        {fixed && (
          <Typography color="textSecondary">
            {state === "draft" ? (
              "Your role reads only."
            ) : (
              <>
                Lot {id} is {state}. <Link to="/">Rounds</Link>
              </>
            )}
          </Typography>
        )}
      </Box>
      <ProblemAlert error={save.error} />
      <Facts plan={plan} />
      <Users plan={plan} />
      <RadioGroup
        aria-label="What becomes of the volume"
        value={plan.keep ? "keep" : "delete"}
        onChange={(event) => {
          save.mutate({
            ...draft.data.form,
            keep: event.target.value === "keep",
            confirm: confirm ?? draft.data.form.confirm,
          });
        }}
        sx={{ my: 1.5 }}
      >
        <FormControlLabel
          value="keep"
          disabled={fixed}
          control={<Radio size="small" />}
          label="Detach only: unmounted and withdrawn from every host; it stays on the array and can come back"
        />
        <FormControlLabel
          value="delete"
          disabled={fixed}
          control={<Radio size="small" />}
          label="Delete: as above, then the volume and all that is on it are gone for good"
        />
      </RadioGroup>
      {!plan.keep && (
        <TextField
          label={`Type ${plan.volume} to allow deleting`}
          value={confirm ?? draft.data.form.confirm}
          disabled={fixed}
          autoComplete="off"
          onChange={(event) => {
            setConfirm(event.target.value);
            save.mutate({ ...draft.data.form, keep: false, confirm: event.target.value });
          }}
          helperText={
            plan.confirmed ? "The name agrees; the lot may delete it." : "Deleting cannot be undone."
          }
          sx={{ width: 340 }}
        />
      )}
    </>
  );
}

function Facts({ plan }: { plan: Plan }) {
  const { size } = useUnit();
  const facts: [string, string][] = [
    ["array and pool", `${plan.array}, ${plan.pool}`],
    ["size", size(plan.size_bytes)],
    ["space it gives back", plan.keep ? "none, it stays" : size(plan.allocated_bytes)],
    ["datastore on it", plan.datastore || "none"],
    ["hosts that see it", plan.hosts.join(", ") || "none"],
  ];
  return <FactList facts={facts} />;
}

const USERS_SHOWN = 40;

function Users({ plan }: { plan: Plan }) {
  const free = plan.users.length === 0;
  return (
    <Box
      component="section"
      aria-label="What uses it"
      sx={{
        p: "12px 14px",
        border: "1px solid",
        borderColor: free ? "var(--line)" : "var(--buoy)",
        borderRadius: "6px",
        background: "var(--card)",
      }}
    >
      <Box sx={{ display: "flex", gap: 0.75, alignItems: "center" }}>
        <Mark kind={free ? "clear" : "over"} label={free ? "free" : "in use"} />
        <strong>
          {free
            ? "Nothing uses it: no disk, image, template, swap file or heartbeat"
            : `In use by ${String(plan.users.length)}; move or remove these first`}
        </strong>
      </Box>
      {!free && (
        <ul style={{ margin: "8px 0 0", columns: 2, paddingLeft: 20 }}>
          {plan.users.slice(0, USERS_SHOWN).map((user) => (
            <li key={user}>{user}</li>
          ))}
          {plan.users.length > USERS_SHOWN && <li>and {plan.users.length - USERS_SHOWN} more</li>}
        </ul>
      )}
    </Box>
  );
}
