import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Link, useSearchParams } from "react-router";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { countOf, formatSize } from "../parts/format";
import { Mark } from "../parts/Mark";
import { Panel } from "../parts/Panel";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { ClusterSelect, DraftHead } from "../lots/DraftParts";
import { PoolFits } from "./PoolFits";
import { useTypedForm } from "../lots/useTypedForm";

type Form = Schemas["FileForm"];
type FormSent = Schemas["FileFormRequest"];
type Plan = Schemas["FilePlan"];

/** Attach file storage: an export, the server interface it is reached over, and every host's way to it. */
export function FilePage() {
  const [search] = useSearchParams();
  const id = Number(search.get("lot")) || null;
  if (id) return <FileDraft key={id} id={id} />;
  return (
    <Typography>
      Begin under <Link to="/attach">Attach</Link>, with File storage.
    </Typography>
  );
}

const EMPTY: Form = {
  cluster: "",
  name: "",
  size: "",
  pool: null,
  server: "",
  version: "NFSv4_1",
  clients: "hosts",
  limits: true,
};

function FileDraft({ id }: { id: number }) {
  const path = { params: { path: { id } } };
  const { data, error, form, change, head, fixed } = useTypedForm(id, EMPTY, {
    load: () => unwrap(api.GET("/api/attach/file-drafts/{id}/", path)),
    store: (typed: Form, seen) =>
      unwrap(api.PUT("/api/attach/file-drafts/{id}/", { ...path, ...seen, body: typed as FormSent })),
  });
  const plan = data?.plan;
  return (
    <>
      <DraftHead {...head} title={`Attach file storage to ${plan?.cluster || "a cluster"}`} />
      <ProblemAlert error={error} />
      <Fields form={form} plan={plan} fixed={fixed} change={change} />
      {plan && (
        <Box sx={{ display: "grid", gap: 1.5 }}>
          {plan.pools.length > 0 && (
            <PoolFits
              plan={{ ...plan, pools_chosen: plan.pool_id === null ? [] : [plan.pool_id] }}
              disabled={fixed}
              choose={([pool]) => {
                change({ pool: pool ?? null });
              }}
            />
          )}
          {plan.servers.length > 0 && <Servers plan={plan} form={form} fixed={fixed} change={change} />}
          {plan.hosts.length > 0 && <Hosts plan={plan} form={form} fixed={fixed} change={change} />}
        </Box>
      )}
    </>
  );
}

interface PartProps {
  form: Form;
  plan: Plan;
  fixed: boolean;
  change: (part: Partial<Form>) => void;
}

function Fields({ form, plan, fixed, change }: Omit<PartProps, "plan"> & { plan: Plan | undefined }) {
  const { unit } = useUnit();
  const other = unit === "TiB" ? "TB" : "TiB";
  const hints = {
    name: plan?.path ? `exported as ${plan.path}` : "the export gets the same",
    size: plan?.size_bytes ? `${formatSize(plan.size_bytes, other)} in the other base` : "as 2 TiB",
  };
  const field = (name: "name" | "size", label: string, focus = false) => {
    const problem = plan?.problems.find((entry) => entry.field === name);
    return (
      <TextField
        label={label}
        value={form[name]}
        autoFocus={focus}
        disabled={fixed}
        error={!!problem}
        onChange={(event) => {
          change({ [name]: event.target.value });
        }}
        helperText={problem ? `${problem.message} ${problem.hint}` : hints[name]}
      />
    );
  };
  const choice = (name: "version" | "clients", label: string, options: Record<string, string>) => (
    <TextField
      select
      label={label}
      value={form[name]}
      disabled={fixed}
      onChange={(event) => {
        change({ [name]: event.target.value });
      }}
    >
      {Object.entries(options).map(([value, text]) => (
        <MenuItem key={value} value={value}>
          {text}
        </MenuItem>
      ))}
    </TextField>
  );
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: "1fr 1.5fr 1.1fr 0.8fr 1.2fr",
        gap: 1.5,
        mb: 1.5,
        alignItems: "start",
      }}
    >
      <ClusterSelect
        cluster={plan?.cluster ?? ""}
        fixed={fixed}
        choose={(cluster) => {
          change({ cluster });
        }}
      />
      {field("name", "Datastore name", true)}
      {field("size", "Size")}
      {choice("version", "Version", { NFSv4_1: "NFS 4.1", NFSv3: "NFS 3" })}
      {choice("clients", "Let in", { hosts: "these hosts only", subnet: "the whole subnet" })}
    </Box>
  );
}

/** The server interfaces of the array; the chosen one is spelled the same on every host. */
function Servers({ form, plan, fixed, change }: PartProps) {
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
function Hosts({ plan, form, fixed, change }: PartProps) {
  return (
    <Panel title="Hosts" note={`${plan.server}:${plan.path || "/exports/…"}`}>
      <table style={{ borderCollapse: "collapse", fontSize: 13, width: "100%" }}>
        <thead>
          <tr style={{ textAlign: "left", color: "var(--mute)", fontSize: 12 }}>
            {["Host", "Interface", "Address", "Can mount", "Settings that differ from the advice"].map(
              (head) => (
                <th key={head} style={{ fontWeight: 400, padding: "6px 12px" }}>
                  {head}
                </th>
              ),
            )}
          </tr>
        </thead>
        <tbody>
          {plan.hosts.map((host) => (
            <tr key={host.name} style={{ borderTop: "1px solid var(--line)" }}>
              <th scope="row" style={{ textAlign: "left", padding: "6px 12px" }}>
                {host.name}
              </th>
              <td style={{ padding: "6px 12px" }}>{host.port || "none"}</td>
              <td className="mono" style={{ padding: "6px 12px" }}>
                {host.address}
              </td>
              <td style={{ padding: "6px 12px" }}>
                <Mark kind={host.obstacle ? "over" : "clear"} label={host.obstacle ? "no" : "yes"} />{" "}
                {host.obstacle || "yes"}
              </td>
              <td style={{ padding: "6px 12px", color: "var(--buoyText)" }}>
                {differences(plan, host.name)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {plan.limits.length > 0 && (
        <FormControlLabel
          sx={{ px: 1.5, py: 0.5 }}
          control={
            <Checkbox
              size="small"
              checked={form.limits}
              disabled={fixed}
              onChange={(event) => {
                change({ limits: event.target.checked });
              }}
            />
          }
          label={`Set them as ${plan.array} recommends, before mounting`}
        />
      )}
    </Panel>
  );
}

const differences = (plan: Plan, host: string) =>
  plan.limits
    .filter((row) => row.host === host)
    .map((row) => `${row.label} ${String(row.now)} → ${String(row.wanted)} ${row.unit}`.trim())
    .join(", ");
