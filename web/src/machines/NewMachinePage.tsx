import Box from "@mui/material/Box";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, queryOptions, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { DraftPage, DraftRoute } from "../lots/drafts/DraftPage";
import { type Bound, Choice, TextInput } from "../lots/drafts/fields";
import { useDraftForm } from "../lots/drafts/useDraftForm";
import { NewDisks } from "./NewDisks";
import { Places } from "./Places";
import { hostsOfQuery } from "./queries";

type Form = Schemas["NewMachineForm"];
type Plan = Schemas["NewMachinePlan"];

/** New machines: name, size and disks, and at once where all of them go and why. */
export function NewMachinePage() {
  return (
    <DraftRoute title="New machine" begin="Open Machines and press New machine.">
      {(lot) => <NewMachineDraft key={lot} lot={lot} />}
    </DraftRoute>
  );
}

function NewMachineDraft({ lot }: { lot: number }) {
  const params = { path: { id: lot } };
  const [chosen, setChosen] = useState(0);
  const draft = useDraftForm(lot, {
    stored: queryOptions("get", "/api/machines/drafts/{id}/", { params }),
    store: (body: Form, seen) => unwrap(api.PUT("/api/machines/drafts/{id}/", { params, ...seen, body })),
  });
  const plan = draft.answer?.plan;
  return (
    <DraftPage
      draft={draft}
      title={`New machine${plan?.cluster ? ` on ${plan.cluster}` : ""}`}
      note={<span style={{ color: "var(--mute)" }}>or several alike</span>}
    >
      {(form) => {
        const of = { form, change: draft.change, fixed: draft.fixed, problems: plan?.problems };
        const disk = Math.min(chosen, form.disks.length - 1);
        const proposed = plan?.disks[disk];
        const place = (datastore: number | null) => {
          draft.change({ disks: form.disks.map((each, n) => (n === disk ? { ...each, datastore } : each)) });
        };
        return (
          <>
            <Whole of={of} plan={plan} />
            <NewDisks of={of} plan={plan} chosen={disk} choose={setChosen} />
            {proposed && (
              <Places
                number={disk + 1}
                disk={proposed}
                typed={form.disks[disk]?.datastore ?? null}
                fixed={draft.fixed}
                place={place}
              />
            )}
          </>
        );
      }}
    </DraftPage>
  );
}

// Side by side, the name with most of the width; as many as there is room for in a narrow window.
const COLUMNS = {
  xs: "repeat(auto-fit, minmax(118px, 1fr))",
  md: "1.7fr 0.7fr 1.1fr 0.8fr 0.9fr 1.2fr 1fr",
} as const;
const THEN = [
  ["on", "switch on"],
  ["off", "leave off"],
] as const;

/** What is true of the whole machine. */
function Whole({ of, plan }: { of: Bound<Form>; plan: Plan | undefined }) {
  const { form, change, fixed } = of;
  const { data: clusters } = useQuery(queryOptions("get", "/api/machines/clusters/"));
  const { data: hosts } = useQuery({ ...hostsOfQuery(form.cluster), enabled: form.cluster !== "" });
  const names = plan?.names ?? [];
  const named = names.length > 1 ? `${names[0] ?? ""} to ${names.at(-1) ?? ""}` : "## becomes a number";
  const proposed = [...new Set(plan?.hosts ?? [])];
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: COLUMNS, gap: 1.5, mb: 1.5, alignItems: "start" }}>
      <TextInput of={of} name="name" label="Name" hint={named} autoFocus />
      <TextInput of={of} name="count" label="How many" hint="" />
      <Choice
        label="Cluster"
        value={form.cluster}
        fixed={fixed}
        options={[...new Set([form.cluster, ...(clusters ?? [])])].map((name) => [name, name] as const)}
        choose={(cluster) => {
          change({ cluster, host: "", disks: form.disks.map((disk) => ({ ...disk, datastore: null })) });
        }}
      />
      <TextInput of={of} name="processors" label="Processors" hint="" />
      <TextInput of={of} name="memory" label="Memory" hint="" />
      <Choice
        label="Host"
        value={form.host}
        fixed={fixed}
        options={[["", "least busy"], ...(hosts?.results ?? []).map(({ name }) => [name, name] as const)]}
        choose={(host) => {
          change({ host });
        }}
        hint={proposed.length > 3 ? `${String(proposed.length)} hosts` : proposed.join(", ")}
      />
      <Choice
        label="Then"
        value={form.then}
        fixed={fixed}
        options={THEN}
        choose={(then) => {
          change({ then });
        }}
      />
    </Box>
  );
}
