import Box from "@mui/material/Box";
import { Link } from "react-router";
import { api, queryOptions, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { DraftPage, DraftRoute } from "../lots/drafts/DraftPage";
import { type Bound, TextInput } from "../lots/drafts/fields";
import { ClusterSelect, Fixables } from "../lots/drafts/parts";
import { useDraftForm } from "../lots/drafts/useDraftForm";
import { countOf } from "../parts/format";
import { Mark } from "../parts/Mark";
import { Panel } from "../parts/Panel";
import { PathBoard } from "../parts/PathBoard";
import { PoolFits } from "./PoolFits";

type Form = Schemas["SetForm"];
type Plan = Schemas["SetPlan"];
type Room = Schemas["SetRoom"];

/** Attach a volume set: its pool, the paths to its access points, and how many volumes it has room for. */
export function SetPage() {
  return (
    <DraftRoute
      title="Attach a volume set"
      begin={
        <>
          Begin under <Link to="/attach">Attach</Link>, with Volume set.
        </>
      }
    >
      {(lot) => <SetDraft key={lot} lot={lot} />}
    </DraftRoute>
  );
}

function SetDraft({ lot }: { lot: number }) {
  const params = { path: { id: lot } };
  const draft = useDraftForm(lot, {
    stored: queryOptions("get", "/api/attach/set-drafts/{id}/", { params }),
    store: (body: Form, seen) => unwrap(api.PUT("/api/attach/set-drafts/{id}/", { params, ...seen, body })),
  });
  const plan = draft.answer?.plan ?? undefined;
  return (
    <DraftPage draft={draft} title={`Attach a volume set to ${plan?.cluster || "a cluster"}`}>
      {(form) => {
        const of = { form, change: draft.change, fixed: draft.fixed, problems: plan?.problems };
        return (
          <>
            <Box
              sx={{
                display: "grid",
                gridTemplateColumns: "1fr 2fr 2fr",
                gap: 1.5,
                mb: 1.5,
                alignItems: "start",
              }}
            >
              <ClusterSelect of={of} cluster={plan?.cluster ?? ""} />
              <TextInput
                of={of}
                name="name"
                label="Datastore name"
                hint="the volume set gets the same; it has no size of its own"
                autoFocus
              />
            </Box>
            {plan && <Planned of={of} plan={plan} />}
          </>
        );
      }}
    </DraftPage>
  );
}

function Planned({ of: { form, change, fixed }, plan }: { of: Bound<Form>; plan: Plan }) {
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      {plan.pools.length > 0 && (
        <PoolFits
          plan={{ ...plan, size_bytes: null, pools_chosen: plan.pool_id === null ? [] : [plan.pool_id] }}
          wanted={form.pool === null ? [] : [form.pool]}
          disabled={fixed}
          choose={([pool]) => {
            change({ pool: pool ?? null });
          }}
        />
      )}
      {plan.room && <VolumeRoom room={plan.room} array={plan.array} />}
      {plan.board && <PathBoard board={plan.board} title="Ways to the access points" />}
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

/** What runs out on a volume set: volumes, counted against what the cluster's machines would take. */
function VolumeRoom({ room, array }: { room: Room; array: string }) {
  const share = Math.min(1, room.needed / Math.max(room.volumes_max, 1));
  return (
    <Panel
      title="Volumes"
      note={`set ${String(room.sets + 1)} of ${String(room.sets_max)} that ${array} allows`}
    >
      <Box sx={{ p: "8px 12px", display: "grid", gap: 0.75, fontSize: 13 }}>
        <Box
          role="img"
          aria-label={`${String(room.needed)} of ${countOf(room.volumes_max, "volume")}`}
          sx={{ height: 12, background: "var(--line)" }}
        >
          <Box
            sx={{
              height: 12,
              width: `${String(share * 100)}%`,
              background: room.fits ? "var(--tide)" : "var(--brass)",
            }}
          />
        </Box>
        <span>
          <Mark kind={room.fits ? "clear" : "part"} label={room.fits ? "enough" : "too few"} /> The set allows{" "}
          <span className="mono">{room.volumes_max}</span> volumes. All {room.machines} machines of the
          cluster would take <span className="mono">{room.needed}</span>: one a disk, one more for the swap of
          each that runs; snapshots come on top. <strong>{room.machines_fit}</strong> machines like them fit.
        </span>
      </Box>
    </Panel>
  );
}
