import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { api, queryOptions, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { DraftPage, DraftRoute } from "../lots/drafts/DraftPage";
import { TextInput } from "../lots/drafts/fields";
import { useDraftForm } from "../lots/drafts/useDraftForm";
import { FactList } from "../parts/FactList";
import { Mark } from "../parts/Mark";
import { useUnit } from "../parts/unit";

type Form = Schemas["UseForm"];
type Plan = Schemas["UsePlan"];

/** Making a datastore of a volume that is there already: its name, and the volume's before anything is wiped. */
export function UsePage() {
  return (
    <DraftRoute
      title="Make a datastore of a volume"
      begin={
        <>
          Find the volume with <kbd>/</kbd>, open its trace, and press Make a datastore of it.
        </>
      }
    >
      {(lot) => <UseDraft key={lot} lot={lot} />}
    </DraftRoute>
  );
}

function UseDraft({ lot }: { lot: number }) {
  const params = { path: { id: lot } };
  const draft = useDraftForm(lot, {
    stored: queryOptions("get", "/api/attach/use-drafts/{id}/", { params }),
    store: (body: Form, seen) => unwrap(api.PUT("/api/attach/use-drafts/{id}/", { params, ...seen, body })),
  });
  const plan = draft.answer?.plan;
  return (
    <DraftPage draft={draft} title={`Make a datastore of ${plan?.volume ?? "a volume"}`}>
      {(form) => {
        if (!plan) return <Typography>This volume is no longer on any array.</Typography>;
        const of = { form, change: draft.change, fixed: draft.fixed, problems: plan.problems };
        return (
          <>
            <Facts plan={plan} />
            <Box sx={{ display: "grid", gap: 1.5, maxWidth: 420, mt: 1.5 }}>
              <TextInput
                of={of}
                name="name"
                label="Datastore name"
                hint="may be the volume's own"
                instead={plan.name}
              />
              {plan.carries && (
                <TextInput
                  of={of}
                  name="confirm"
                  label={`Type ${plan.volume} to allow wiping`}
                  hint={
                    plan.confirmed
                      ? `The name agrees; the lot may wipe the ${plan.carries}.`
                      : `It carries a ${plan.carries}. Wiping cannot be undone.`
                  }
                />
              )}
            </Box>
          </>
        );
      }}
    </DraftPage>
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
