import Box from "@mui/material/Box";
import { Link } from "react-router";
import { api, queryOptions, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { DraftPage, DraftRoute } from "../lots/drafts/DraftPage";
import { type Bound, Choice, FieldRow, TextInput, Tick } from "../lots/drafts/fields";
import { ClusterSelect } from "../lots/drafts/parts";
import { useDraftForm } from "../lots/drafts/useDraftForm";
import { countOf, formatSize } from "../parts/format";
import { Mark } from "../parts/Mark";
import { Panel } from "../parts/Panel";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useUnit } from "../parts/unit";
import { PoolFits } from "./PoolFits";

type Form = Schemas["FileForm"];
type Plan = Schemas["FilePlan"];

/** Attach file storage: an export, the server interface it is reached over, and every host's way to it. */
export function FilePage() {
  return (
    <DraftRoute
      title="Attach file storage"
      begin={
        <>
          Begin under <Link to="/attach">Attach</Link>, with File storage.
        </>
      }
    >
      {(lot) => <FileDraft key={lot} lot={lot} />}
    </DraftRoute>
  );
}

function FileDraft({ lot }: { lot: number }) {
  const params = { path: { id: lot } };
  const draft = useDraftForm(lot, {
    stored: queryOptions("get", "/api/attach/file-drafts/{id}/", { params }),
    store: (body: Form, seen) => unwrap(api.PUT("/api/attach/file-drafts/{id}/", { params, ...seen, body })),
  });
  const plan = draft.answer?.plan ?? undefined;
  return (
    <DraftPage draft={draft} title={`Attach file storage to ${plan?.cluster || "a cluster"}`}>
      {(form) => {
        const of = { form, change: draft.change, fixed: draft.fixed, problems: plan?.problems };
        return (
          <>
            <Fields of={of} plan={plan} />
            {plan && <Planned of={of} plan={plan} />}
          </>
        );
      }}
    </DraftPage>
  );
}

interface PartProps {
  of: Bound<Form>;
  plan: Plan;
}

function Planned({ of, plan }: PartProps) {
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      {plan.pools.length > 0 && (
        <PoolFits
          plan={{ ...plan, pools_chosen: plan.pool_id === null ? [] : [plan.pool_id] }}
          wanted={of.form.pool === null ? [] : [of.form.pool]}
          disabled={of.fixed}
          choose={([pool]) => {
            of.change({ pool: pool ?? null });
          }}
        />
      )}
      {plan.servers.length > 0 && <Servers plan={plan} of={of} />}
      {plan.hosts.length > 0 && <Hosts plan={plan} of={of} />}
    </Box>
  );
}

/** What is typed; the size in the other base beside it. */
function Fields({ of, plan }: { of: Bound<Form>; plan: Plan | undefined }) {
  const { form, change, fixed } = of;
  const { unit } = useUnit();
  const other = unit === "TiB" ? "TB" : "TiB";
  const sizeHint = plan?.size_bytes ? `${formatSize(plan.size_bytes, other)} in the other base` : "as 2 TiB";
  return (
    <FieldRow least={130}>
      <ClusterSelect of={of} cluster={plan?.cluster ?? ""} />
      <TextInput
        of={of}
        name="name"
        label="Datastore name"
        hint={plan?.path ? `exported as ${plan.path}` : "the export gets the same"}
        autoFocus
      />
      <TextInput of={of} name="size" label="Size" hint={sizeHint} />
      <Choice
        label="Version"
        value={form.version}
        fixed={fixed}
        options={[
          ["NFSv4_1", "NFS 4.1"],
          ["NFSv3", "NFS 3"],
        ]}
        choose={(version) => {
          change({ version });
        }}
      />
      <Choice
        label="Let in"
        value={form.clients}
        fixed={fixed}
        options={[
          ["hosts", "these hosts only"],
          ["subnet", "the whole subnet"],
        ]}
        choose={(clients) => {
          change({ clients });
        }}
      />
    </FieldRow>
  );
}

/** The server interfaces of the array; the chosen one is spelled the same on every host. */
function Servers({ of: { form, fixed, change }, plan }: PartProps) {
  return (
    <Panel title="Server interface" note="one spelling on every host: another makes another datastore">
      <div role="radiogroup" aria-label="Server interface">
        {plan.servers.map((server) => {
          const chosen = server.name === (form.server || plan.server);
          const all = server.reached === plan.hosts.length;
          return (
            <label
              key={server.id}
              style={{
                display: "grid",
                gridTemplateColumns: "20px minmax(180px, 2fr) 110px 110px minmax(130px, 1fr) 90px",
                gap: 10,
                padding: "7px 12px",
                fontSize: 13,
                alignItems: "center",
                background: chosen ? "var(--tideSoft)" : "none",
              }}
            >
              <input
                type="radio"
                name="server"
                checked={chosen}
                disabled={fixed}
                onChange={() => {
                  change({ server: server.name });
                }}
              />
              <strong>{server.name}</strong>
              <span className="mono">{server.address}</span>
              <span>controller {server.controller}</span>
              <span style={{ display: "flex", gap: 6, alignItems: "center" }}>
                <Mark kind={all ? "clear" : "over"} label={all ? "all reach it" : "not all reach it"} />
                {server.reached} of {countOf(plan.hosts.length, "host")} reach it
              </span>
              <span style={{ color: "var(--mute)" }}>{countOf(server.mounts, "mount")}</span>
            </label>
          );
        })}
      </div>
    </Panel>
  );
}

/** Every host's interface, what keeps it from mounting, and settings of its NFS client that differ. */
function Hosts({ plan, of: { form, fixed, change } }: PartProps) {
  const columns: Column<Plan["hosts"][number]>[] = [
    { key: "host", head: "Host", value: (host) => host.name },
    { key: "interface", head: "Interface", value: (host) => host.port || "none" },
    { key: "address", head: "Address", value: (host) => host.address, mono: true },
    {
      key: "obstacle",
      head: "Can mount",
      value: (host) => host.obstacle || "yes",
      cell: (host) => (
        <>
          <Mark kind={host.obstacle ? "over" : "clear"} label={host.obstacle ? "no" : "yes"} />{" "}
          {host.obstacle || "yes"}
        </>
      ),
    },
    {
      key: "settings",
      head: "Settings that differ from the advice",
      value: (host) => differences(plan, host.name),
      cell: (host) => <span style={{ color: "var(--buoyText)" }}>{differences(plan, host.name)}</span>,
    },
  ];
  return (
    <div>
      <DataTable
        name="Hosts"
        title="Hosts"
        note={`${plan.server}:${plan.path || "/exports/…"}`}
        columns={columns}
        rows={plan.hosts}
        rowKey={(host) => host.name}
        empty="The cluster has no host."
      />
      {plan.limits.length > 0 && (
        <Tick
          label={`Set them as ${plan.array} recommends, before mounting`}
          checked={form.limits}
          fixed={fixed}
          set={(limits) => {
            change({ limits });
          }}
        />
      )}
    </div>
  );
}

const differences = (plan: Plan, host: string) =>
  plan.limits
    .filter((row) => row.host === host)
    .map((row) => `${row.label} ${String(row.now)} → ${String(row.wanted)} ${row.unit}`.trim())
    .join(", ");
