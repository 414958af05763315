import Box from "@mui/material/Box";
import FormControlLabel from "@mui/material/FormControlLabel";
import Radio from "@mui/material/Radio";
import RadioGroup from "@mui/material/RadioGroup";
import Typography from "@mui/material/Typography";
import { api, queryOptions, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { DraftPage, DraftRoute } from "../lots/drafts/DraftPage";
import { TextInput } from "../lots/drafts/fields";
import { useDraftForm } from "../lots/drafts/useDraftForm";
import { FactList } from "../parts/FactList";
import { Mark } from "../parts/Mark";
import { useUnit } from "../parts/unit";

type Form = Schemas["DetachForm"];
type Plan = Schemas["DetachPlan"];

/** Taking a volume away: who uses it, whether it stays on the array, and its name before it is deleted. */
export function DetachPage() {
  return (
    <DraftRoute
      title="Take a volume away"
      begin={
        <>
          Find the volume or its datastore with <kbd>/</kbd>, open its trace, and press Take away.
        </>
      }
    >
      {(lot) => <DetachDraft key={lot} lot={lot} />}
    </DraftRoute>
  );
}

function DetachDraft({ lot }: { lot: number }) {
  const params = { path: { id: lot } };
  const draft = useDraftForm(lot, {
    stored: queryOptions("get", "/api/attach/detach/{id}/", { params }),
    store: (body: Form, seen) => unwrap(api.PUT("/api/attach/detach/{id}/", { params, ...seen, body })),
  });
  const plan = draft.answer?.plan;
  return (
    <DraftPage draft={draft} title={plan ? `Take ${plan.volume} away` : "Take a volume away"}>
      {(form) => {
        if (!plan) return <Typography>This volume is no longer on any array.</Typography>;
        const { change, fixed } = draft;
        return (
          <>
            <Facts plan={plan} />
            <Users plan={plan} />
            <RadioGroup
              aria-label="What becomes of the volume"
              value={form.keep ? "keep" : "delete"}
              onChange={(event) => {
                change({ keep: event.target.value === "keep" });
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
            {!form.keep && (
              <Box sx={{ width: 340 }}>
                <TextInput
                  of={{ form, change, fixed }}
                  name="confirm"
                  label={`Type ${plan.volume} to allow deleting`}
                  hint={
                    plan.confirmed ? "The name agrees; the lot may delete it." : "Deleting cannot be undone."
                  }
                />
              </Box>
            )}
          </>
        );
      }}
    </DraftPage>
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
