import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useSearchParams } from "react-router";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { FactList } from "../parts/FactList";
import { Mark } from "../parts/Mark";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { DraftHead } from "../lots/DraftParts";
import { useTypedForm } from "../lots/useTypedForm";

type Form = Schemas["UseForm"];
type Plan = Schemas["UsePlan"];

/** Making a datastore of a volume that is there already: its name, and the volume's before anything is wiped. */
export function UsePage() {
  const [search] = useSearchParams();
  const id = Number(search.get("lot")) || null;
  if (id) return <UseDraft key={id} id={id} />;
  return (
    <Typography>
      Find the volume with <kbd>/</kbd>, open its trace, and press Make a datastore of it.
    </Typography>
  );
}

const EMPTY: Form = { volume: null, name: "", confirm: "", cluster: "" };

function UseDraft({ id }: { id: number }) {
  const path = { params: { path: { id } } };
  const { data, error, form, change, head, fixed } = useTypedForm(id, EMPTY, {
    load: () => unwrap(api.GET("/api/attach/use-drafts/{id}/", path)),
    store: (body: Form, seen) => unwrap(api.PUT("/api/attach/use-drafts/{id}/", { ...path, ...seen, body })),
  });
  const plan = data?.plan;
  const problem = plan?.problems.find((entry) => entry.field === "name");
  return (
    <>
      <DraftHead {...head} title={`Make a datastore of ${plan?.volume ?? "a volume"}`} />
      <ProblemAlert error={error} />
      {data && !plan && <Typography>This volume is no longer on any array.</Typography>}
      {plan && (
        <>
          <Facts plan={plan} />
          <Box sx={{ display: "grid", gap: 1.5, maxWidth: 420, mt: 1.5 }}>
            <TextField
              label="Datastore name"
              value={form.name || plan.name}
              disabled={fixed}
              error={!!problem}
              helperText={problem ? `${problem.message} ${problem.hint}` : "may be the volume's own"}
              onChange={(event) => {
                change({ name: event.target.value });
              }}
            />
            {plan.carries && (
              <TextField
                label={`Type ${plan.volume} to allow wiping`}
                value={form.confirm}
                disabled={fixed}
                autoComplete="off"
                helperText={
                  plan.confirmed
                    ? `The name agrees; the lot may wipe the ${plan.carries}.`
                    : `It carries a ${plan.carries}. Wiping cannot be undone.`
                }
                onChange={(event) => {
                  change({ confirm: event.target.value });
                }}
              />
            )}
          </Box>
        </>
      )}
    </>
  );
}

function Facts({ plan }: { plan: Plan }) {
  const { size } = useUnit();
  const found = plan.carries === null ? "not known: no host sees it yet" : plan.carries || "nothing";
  return (
    <>
      <FactList
        facts={[
          ["array and pool", `${plan.array}, ${plan.pool}`],
          ["size", size(plan.size_bytes)],
          ["hosts that see it", plan.seen_by.join(", ") || "none"],
          ["hosts that will mount it", plan.hosts.join(", ") || "none"],
        ]}
      />
      <Box sx={{ display: "flex", gap: 0.75, alignItems: "center", mt: 1 }}>
        <Mark
          kind={plan.carries ? "over" : plan.carries === null ? "unjudged" : "clear"}
          label="what is on it"
        />
        <strong>On it: {found}</strong>
      </Box>
    </>
  );
}
