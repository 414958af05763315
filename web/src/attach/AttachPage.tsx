import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Link, useSearchParams } from "react-router";
import { useDraft } from "../lots/useDraft";
import type { Schemas } from "../api/problem";
import { api, unwrap } from "../api/client";
import { countOf, formatSize } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { useSession } from "../shell/useSession";
import { useStatus } from "../shell/useStatus";
import { Grants } from "./Grants";
import { PathBoard } from "../parts/PathBoard";
import { ClusterSelect, DraftHead, Fixables } from "../lots/DraftParts";
import { Machines } from "./Machines";
import { PoolFits } from "./PoolFits";
import { SizingAdvice } from "./SizingAdvice";
import { useTypedForm } from "../lots/useTypedForm";

type AttachForm = Schemas["AttachForm"];

/** Attach storage: the form and its plan at the left, steps and checks in the tray. */
export function AttachPage() {
  const [search] = useSearchParams();
  const id = Number(search.get("lot")) || null;
  return id ? <AttachDraft key={id} id={id} /> : <AttachStart />;
}

const STARTS: (Required<Schemas["NewLotRequest"]> & { name: string; text: string })[] = [
  {
    kind: "attach",
    form: {},
    name: "Block volume",
    text: "made on an array, shared by the hosts of a cluster over iSCSI, Fibre Channel or NVMe/TCP, formatted once, mounted everywhere",
  },
  {
    kind: "attach_file",
    form: {},
    name: "File storage",
    text: "exported by an array over NFS, mounted under one name on every host of a cluster",
  },
  {
    kind: "attach_set",
    form: {},
    name: "Volume set",
    text: "a place where each virtual disk, snapshot and swap is a volume of its own, without a size",
  },
  {
    kind: "attach",
    form: { raw: true },
    name: "Raw volume",
    text: "given to one machine as it is, or shared by those of a guest cluster; never formatted",
  },
];

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
        <Box sx={{ display: "grid", gridTemplateColumns: "repeat(auto-fit, minmax(300px, 1fr))", gap: 1.5 }}>
          {STARTS.map(({ kind, form, name, text }) => (
            <Button
              key={name}
              variant="outlined"
              disabled={!session?.may_change || draft.isPending}
              onClick={() => {
                draft.mutate({ kind, form });
              }}
              sx={{ display: "block", textAlign: "left", p: 1.5, border: "2px solid var(--ink)" }}
            >
              <strong>{name}</strong>
              <span style={{ display: "block", fontWeight: 400, color: "var(--mute)" }}>{text}</span>
            </Button>
          ))}
          {session && !session.may_change && (
            <Typography color="textSecondary">Your role reads only; it may not draft lots.</Typography>
          )}
          <Box
            component="nav"
            aria-label="More of Attach"
            sx={{ display: "grid", gap: 0.75, mt: 1, gridColumn: "1 / -1" }}
          >
            <span>
              <Link to="/attach/paths">Paths</Link>: expected against seen, and single points of failure
            </span>
            <span>
              <Link to="/attach/loss">What if it is taken away</Link>: which machines stop or lose redundancy
            </span>
            <span>
              <Link to="/attach/device-settings">Device settings</Link>: path policy and more, on many hosts
              at once
            </span>
            <span>
              <Link to="/attach/file-limits">NFS timeouts and limits</Link>: what hosts have and arrays
              recommend
            </span>
          </Box>
        </Box>
      )}
      <Grants />
    </>
  );
}

const NOBODY: Schemas["RawMachine"][] = [];
const EMPTY: AttachForm = {
  cluster: "",
  name: "",
  size: "",
  count: "1",
  allocation: "thin",
  reduced: [],
  tiering: "",
  own_target: false,
  raw: false,
  machines: [],
  pools: [],
  fixes: [],
};

function AttachDraft({ id }: { id: number }) {
  const path = { params: { path: { id } } };
  const { data, error, form, change, head, fixed } = useTypedForm(id, EMPTY, {
    load: () => unwrap(api.GET("/api/attach/drafts/{id}/", path)),
    store: (body: AttachForm, seen) =>
      unwrap(api.PUT("/api/attach/drafts/{id}/", { ...path, ...seen, body })),
  });
  const plan = data?.plan;
  return (
    <>
      <DraftHead
        {...head}
        title={form.raw ? "Give machines a raw volume" : `Attach storage to ${plan?.cluster || "a cluster"}`}
      >
        {plan && (
          <span
            style={{
              border: "1px solid var(--line)",
              background: "var(--card)",
              borderRadius: 4,
              padding: "2px 8px",
            }}
          >
            {countOf(plan.hosts.length, "host")}
          </span>
        )}
      </DraftHead>
      <ProblemAlert error={error} />
      <Fields form={form} plan={plan} fixed={fixed} change={change} />
      {form.raw && (
        <Box sx={{ mb: 1.5 }}>
          <Machines
            ids={form.machines}
            named={plan?.machines ?? NOBODY}
            fixed={fixed}
            choose={(machines) => {
              change({ machines });
            }}
          />
        </Box>
      )}
      {(plan?.own_targets || form.own_target) && (
        <FormControlLabel
          sx={{ mt: -1, mb: 0.5 }}
          control={
            <Checkbox
              size="small"
              checked={form.own_target}
              disabled={fixed}
              onChange={(event) => {
                change({ own_target: event.target.checked });
              }}
            />
          }
          label="Behind an iSCSI target of its own: every host logs in once more for each volume"
        />
      )}
      {plan && (
        <Box sx={{ display: "grid", gap: 1.5 }}>
          <PoolFits
            plan={plan}
            disabled={fixed}
            choose={(pools) => {
              change({ pools });
            }}
          />
          {!form.raw && (
            <SizingAdvice
              plan={plan}
              count={form.count}
              fixed={fixed}
              take={(count, size) => {
                change({ count, size });
              }}
            />
          )}
          {plan.volumes.length > 1 && <Volumes volumes={plan.volumes} total={plan.total_bytes} />}
          {plan.board && <PathBoard board={plan.board} title="Paths the hosts will have" />}
          <Fixables
            plan={plan}
            fixed={fixed}
            add={(host) => {
              change({ fixes: [...form.fixes, host] });
            }}
          />
        </Box>
      )}
    </>
  );
}

type Plan = Schemas["AttachPlan"];

const REDUCTIONS: Record<string, AttachForm["reduced"]> = {
  compression: ["compression"],
  deduplication: ["deduplication"],
  both: ["compression", "deduplication"],
};

const TIERS: Record<string, AttachForm["tiering"]> = {
  "by use": "by use",
  fastest: "fastest",
  slowest: "slowest",
};

interface FieldsProps {
  form: AttachForm;
  plan: Plan | undefined;
  fixed: boolean;
  change: (part: Partial<AttachForm>) => void;
}

/** The form: what is wrong stands beside its field, and a size in the base the other side counts in. */
function Fields({ form, plan, fixed, change }: FieldsProps) {
  const { unit } = useUnit();
  const other = unit === "TiB" ? "TB" : "TiB";
  const sizeHint = plan?.size_bytes
    ? `${formatSize(plan.size_bytes, other)} as the ${unit === "TiB" ? "array" : "host"} counts`
    : "a number and a unit, as 2 TiB";
  const field = (name: "name" | "size" | "count", label: string, hint: string, focus = false) => {
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
        helperText={problem ? `${problem.message} ${problem.hint}` : hint}
      />
    );
  };
  const nameHint = Number(form.count) > 1 ? "## becomes a number, as berth-##" : "the volume gets the same";
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: "repeat(auto-fit, minmax(118px, 1fr))",
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
      {field(
        "name",
        form.raw ? "Volume name" : "Datastore name",
        form.raw ? "as the array calls it" : nameHint,
        true,
      )}
      {field("size", "Size", sizeHint)}
      {field("count", "How many", "")}
      <TextField
        select
        label="Allocation"
        value={form.allocation}
        disabled={fixed}
        onChange={(event) => {
          change({ allocation: event.target.value === "thick" ? "thick" : "thin" });
        }}
        helperText={form.allocation === "thick" ? "takes all at once" : "grows as it fills"}
      >
        <MenuItem value="thin">Thin</MenuItem>
        <MenuItem value="thick">Thick</MenuItem>
      </TextField>
      <TextField
        select
        label="Data reduction"
        value={form.reduced.length > 1 ? "both" : (form.reduced[0] ?? "none")}
        disabled={fixed}
        onChange={(event) => {
          change({ reduced: REDUCTIONS[event.target.value] ?? [] });
        }}
        helperText={form.reduced.length ? "where the pool can" : "as it is written"}
      >
        <MenuItem value="none">None</MenuItem>
        <MenuItem value="compression">Compression</MenuItem>
        <MenuItem value="deduplication">Deduplication</MenuItem>
        <MenuItem value="both">Both</MenuItem>
      </TextField>
      {(form.tiering || plan?.pools.some((pool) => pool.tiered)) && (
        <TextField
          select
          label="Tier"
          value={form.tiering || "any"}
          disabled={fixed}
          onChange={(event) => {
            change({ tiering: TIERS[event.target.value] ?? "" });
          }}
          helperText={form.tiering ? "where the pool has tiers" : "as the pool does it"}
        >
          <MenuItem value="any">Any</MenuItem>
          <MenuItem value="by use">By use</MenuItem>
          <MenuItem value="fastest">Fastest</MenuItem>
          <MenuItem value="slowest">Slowest</MenuItem>
        </TextField>
      )}
    </Box>
  );
}

/** Which volume goes to which pool, when there are several. */
function Volumes({ volumes, total }: { volumes: Plan["volumes"]; total: number }) {
  const { size } = useUnit();
  const pools = [...new Set(volumes.map((volume) => volume.pool))];
  return (
    <Box
      component="section"
      aria-label="Volumes"
      sx={{
        p: "8px 12px",
        border: "1px solid var(--line)",
        borderRadius: "6px",
        background: "var(--card)",
      }}
    >
      <strong>
        {countOf(volumes.length, "volume")}, {size(total)} together
      </strong>
      {pools.map((pool) => (
        <div key={pool}>
          <span style={{ color: "var(--mute)" }}>{pool}: </span>
          <span className="mono">
            {volumes
              .filter((volume) => volume.pool === pool)
              .map((volume) => volume.name)
              .join(", ")}
          </span>
        </div>
      ))}
    </Box>
  );
}
