import Box from "@mui/material/Box";
import { Link } from "react-router";
import { api, queryOptions, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { DraftPage, DraftRoute } from "../lots/drafts/DraftPage";
import { type Bound, Choice, FieldRow, TextInput, Tick } from "../lots/drafts/fields";
import { ClusterSelect, Fixables } from "../lots/drafts/parts";
import { useDraftForm } from "../lots/drafts/useDraftForm";
import { Chip } from "../parts/Chip";
import { countOf, formatSize } from "../parts/format";
import { PathBoard } from "../parts/PathBoard";
import { useUnit } from "../parts/unit";
import { Machines } from "./Machines";
import { PoolFits } from "./PoolFits";
import { SizingAdvice } from "./SizingAdvice";

type AttachForm = Schemas["AttachForm"];
type Plan = Schemas["AttachPlan"];

/** Attach block storage: the form and its plan at the left, steps and checks in the tray. */
export function BlockPage() {
  return (
    <DraftRoute
      title="Attach block storage"
      begin={
        <>
          Begin under <Link to="/attach">Attach</Link>, with Block volume or Raw volume.
        </>
      }
    >
      {(lot) => <BlockDraft key={lot} lot={lot} />}
    </DraftRoute>
  );
}

const NOBODY: Schemas["RawMachine"][] = [];

function BlockDraft({ lot }: { lot: number }) {
  const params = { path: { id: lot } };
  const draft = useDraftForm(lot, {
    stored: queryOptions("get", "/api/attach/drafts/{id}/", { params }),
    store: (body: AttachForm, seen) => unwrap(api.PUT("/api/attach/drafts/{id}/", { params, ...seen, body })),
  });
  const plan = draft.answer?.plan;
  const title = draft.form?.raw
    ? "Give machines a raw volume"
    : `Attach storage to ${plan?.cluster || "a cluster"}`;
  return (
    <DraftPage draft={draft} title={title} note={plan && <Chip>{countOf(plan.hosts.length, "host")}</Chip>}>
      {(form) => (
        <Whole
          of={{ form, change: draft.change, fixed: draft.fixed, problems: plan?.problems }}
          plan={plan}
        />
      )}
    </DraftPage>
  );
}

interface PartProps {
  of: Bound<AttachForm>;
  plan: Plan | undefined;
}

function Whole({ of, plan }: PartProps) {
  const { form, change, fixed } = of;
  return (
    <>
      <Fields of={of} plan={plan} />
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
        <Tick
          label="Behind an iSCSI target of its own: every host logs in once more for each volume"
          checked={form.own_target}
          fixed={fixed}
          set={(checked) => {
            change({ own_target: checked });
          }}
        />
      )}
      {plan && <Planned of={of} plan={plan} />}
    </>
  );
}

/** What the form comes to: pools, sizing, volumes, paths. */
function Planned({ of: { form, change, fixed }, plan }: { of: Bound<AttachForm>; plan: Plan }) {
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      <PoolFits
        plan={plan}
        wanted={form.pools}
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
  );
}

const REDUCTIONS = [
  ["none", "None"],
  ["compression", "Compression"],
  ["deduplication", "Deduplication"],
  ["both", "Both"],
] as const;
const REDUCED: Record<(typeof REDUCTIONS)[number][0], AttachForm["reduced"]> = {
  none: [],
  compression: ["compression"],
  deduplication: ["deduplication"],
  both: ["compression", "deduplication"],
};
const TIERS = [
  ["", "Any"],
  ["by use", "By use"],
  ["fastest", "Fastest"],
  ["slowest", "Slowest"],
] as const;

/** The form: what is wrong stands beside its field, and a size in the base the other side counts in. */
function Fields({ of, plan }: PartProps) {
  const { form, change, fixed } = of;
  const { unit } = useUnit();
  const other = unit === "TiB" ? "TB" : "TiB";
  const sizeHint = plan?.size_bytes
    ? `${formatSize(plan.size_bytes, other)} as the ${unit === "TiB" ? "array" : "host"} counts`
    : "a number and a unit, as 2 TiB";
  const nameHint = Number(form.count) > 1 ? "## becomes a number, as berth-##" : "the volume gets the same";
  const reduced = form.reduced.length > 1 ? "both" : (form.reduced[0] ?? "none");
  return (
    <FieldRow>
      <ClusterSelect of={of} cluster={plan?.cluster ?? ""} />
      <TextInput
        of={of}
        name="name"
        label={form.raw ? "Volume name" : "Datastore name"}
        hint={form.raw ? "as the array calls it" : nameHint}
        autoFocus
      />
      <TextInput of={of} name="size" label="Size" hint={sizeHint} />
      <TextInput of={of} name="count" label="How many" hint="" />
      <Choice
        label="Allocation"
        value={form.allocation}
        fixed={fixed}
        options={[
          ["thin", "Thin"],
          ["thick", "Thick"],
        ]}
        choose={(allocation) => {
          change({ allocation });
        }}
        hint={form.allocation === "thick" ? "takes all at once" : "grows as it fills"}
      />
      <Choice
        label="Data reduction"
        value={reduced}
        fixed={fixed}
        options={REDUCTIONS}
        choose={(name) => {
          change({ reduced: REDUCED[name] });
        }}
        hint={form.reduced.length ? "where the pool can" : "as it is written"}
      />
      {(form.tiering || plan?.pools.some((pool) => pool.tiered)) && (
        <Choice
          label="Tier"
          value={form.tiering}
          fixed={fixed}
          options={TIERS}
          choose={(tiering) => {
            change({ tiering });
          }}
          hint={form.tiering ? "where the pool has tiers" : "as the pool does it"}
        />
      )}
    </FieldRow>
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
