import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Link, useSearchParams } from "react-router";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { Mark } from "../parts/Mark";
import { Panel } from "../parts/Panel";
import { ProblemAlert } from "../parts/ProblemAlert";
import { ClusterSelect, DraftHead, Fixables } from "../lots/DraftParts";
import { PathBoard } from "../parts/PathBoard";
import { PoolFits } from "./PoolFits";
import { useTypedForm } from "../lots/useTypedForm";
import { countOf } from "../parts/format";

type Form = Schemas["SetForm"];
type Room = Schemas["SetRoom"];

/** Attach a volume set: its pool, the paths to its access points, and how many volumes it has room for. */
export function SetPage() {
  const [search] = useSearchParams();
  const id = Number(search.get("lot")) || null;
  if (id) return <SetDraft key={id} id={id} />;
  return (
    <Typography>
      Begin under <Link to="/attach">Attach</Link>, with Volume set.
    </Typography>
  );
}

const EMPTY: Form = { cluster: "", name: "", pool: null, fixes: [] };

function SetDraft({ id }: { id: number }) {
  const path = { params: { path: { id } } };
  const { data, error, form, change, head, fixed } = useTypedForm(id, EMPTY, {
    load: () => unwrap(api.GET("/api/attach/set-drafts/{id}/", path)),
    store: (body: Form, seen) => unwrap(api.PUT("/api/attach/set-drafts/{id}/", { ...path, ...seen, body })),
  });
  const plan = data?.plan;
  const problem = plan?.problems.find((entry) => entry.field === "name");
  return (
    <>
      <DraftHead {...head} title={`Attach a volume set to ${plan?.cluster || "a cluster"}`} />
      <ProblemAlert error={error} />
      <Box
        sx={{ display: "grid", gridTemplateColumns: "1fr 2fr 2fr", gap: 1.5, mb: 1.5, alignItems: "start" }}
      >
        <ClusterSelect
          cluster={plan?.cluster ?? ""}
          fixed={fixed}
          choose={(cluster) => {
            change({ cluster });
          }}
        />
        <TextField
          label="Datastore name"
          value={form.name}
          autoFocus
          disabled={fixed}
          error={!!problem}
          onChange={(event) => {
            change({ name: event.target.value });
          }}
          helperText={
            problem
              ? `${problem.message} ${problem.hint}`
              : "the volume set gets the same; it has no size of its own"
          }
        />
      </Box>
      {plan && (
        <Box sx={{ display: "grid", gap: 1.5 }}>
          {plan.pools.length > 0 && (
            <PoolFits
              plan={{ ...plan, size_bytes: null, pools_chosen: plan.pool_id === null ? [] : [plan.pool_id] }}
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
      )}
    </>
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
