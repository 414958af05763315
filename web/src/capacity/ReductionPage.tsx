import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, unwrap } from "../api/client";
import { resultOf } from "../jobs/followed";
import { JobNote } from "../jobs/JobNote";
import { useJob } from "../jobs/useJob";
import { useDraft } from "../lots/useDraft";
import { CARD, CardHead } from "../parts/CardHead";
import { countOf } from "../parts/format";
import { Moment } from "../parts/Moment";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { doneBy, LeftBar } from "./LeftBar";
import { capacityQuery, type ReducibleVolume, type Reduction, reductionQuery } from "./queries";

/** What compressing and deduplicating a pool's volumes would leave, estimated before it is switched on. */
export function ReductionPage() {
  const [params, setParams] = useSearchParams();
  const { data: pools, error } = useQuery(capacityQuery("pool"));
  const rows = [...(pools?.rows ?? [])].sort((a, b) => a.name.localeCompare(b.name));
  const pool = rows.find((row) => String(row.id) === params.get("pool")) ?? rows[0];
  return (
    <Page
      title="Data reduction"
      stage="capacity"
      error={error}
      loading={!pools}
      note={
        pool && (
          <TextField
            select
            size="small"
            value={String(pool.id)}
            sx={{ width: 180 }}
            slotProps={{ htmlInput: { "aria-label": "Pool" } }}
            onChange={(event) => {
              setParams({ pool: event.target.value }, { replace: true });
            }}
          >
            {rows.map((row) => (
              <MenuItem key={row.id} value={String(row.id)}>
                {row.name}
              </MenuItem>
            ))}
          </TextField>
        )
      }
    >
      {pools && !pool && (
        <Typography color="textSecondary">
          There is no pool yet: link an array, and it is listed here.
        </Typography>
      )}
      {pool && <OfPool key={pool.id} pool={pool.id} />}
    </Page>
  );
}

function OfPool({ pool }: { pool: number }) {
  const { data, error } = useQuery(reductionQuery(pool));
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set());
  if (!data) return <ProblemAlert error={error} />;
  if (data.ways.length === 0) {
    return (
      <Typography color="textSecondary">
        {data.pool} can neither compress nor deduplicate. Data that would shrink has to be moved to a pool
        that can.
      </Typography>
    );
  }
  if (data.volumes.length === 0) {
    return (
      <Typography color="textSecondary">{data.pool} has no volume whose data could be reduced.</Typography>
    );
  }
  const toggle = (id: number) => {
    const next = new Set(left);
    if (!next.delete(id)) next.add(id);
    setLeft(next);
  };
  const chosen = data.volumes.filter((volume) => !left.has(volume.id));
  return (
    <>
      <Acts pool={pool} data={data} chosen={chosen} />
      <Volumes data={data} left={left} toggle={toggle} />
      <Shared data={data} />
    </>
  );
}

/** Estimates what is chosen, and drafts the lots that switch a way on, or off again. */
function Acts({ pool, data, chosen }: { pool: number; data: Reduction; chosen: readonly ReducibleVolume[] }) {
  const queries = useQueryClient();
  const draft = useDraft();
  const { data: session } = useSession();
  const volumes = chosen.map((volume) => volume.id);
  const job = useJob({
    ask: () =>
      unwrap(
        api.POST("/api/capacity/reduction/{id}/estimate/", {
          params: { path: { id: pool } },
          body: { volumes },
        }),
      ),
    look: (ended) => Promise.resolve(resultOf(ended, "estimate_reduction")),
    onSuccess: () => void queries.invalidateQueries({ queryKey: reductionQuery(pool).queryKey }),
  });
  if (!session?.may_change) return null;
  const go = (ways: string[]) => {
    draft.mutate({ kind: "reduce", form: { volumes, ways } });
  };
  const busy = chosen.length === 0 || draft.isPending || job.isPending;
  return (
    <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center", mb: 1 }}>
      <Button
        variant={data.estimate ? "outlined" : "contained"}
        disabled={busy}
        onClick={() => {
          job.start();
        }}
      >
        Estimate {countOf(chosen.length, "volume")}
      </Button>
      {data.ways.map((ways, place) => (
        <Button
          key={ways.join()}
          variant={data.estimate && place === data.ways.length - 1 ? "contained" : "outlined"}
          disabled={busy}
          onClick={() => {
            go(ways);
          }}
        >
          Have it {doneBy(ways)}
        </Button>
      ))}
      {chosen.some((volume) => volume.reduced.length > 0) && (
        <Button
          variant="outlined"
          disabled={busy}
          onClick={() => {
            go([]);
          }}
        >
          Have it grow back
        </Button>
      )}
      <JobNote job={job} begun="waiting for a worker" />
      <ProblemAlert error={job.error ?? draft.error} />
    </Box>
  );
}

interface VolumesProps {
  data: Reduction;
  /** Those that are left out. */
  left: ReadonlySet<number>;
  toggle: (id: number) => void;
}

const GRID = "34px minmax(130px, 170px) minmax(150px, 190px) minmax(380px, 1fr)";

/** Each volume as it is and as it would be, and all that were sampled together. */
function Volumes({ data, left, toggle }: VolumesProps) {
  const { size } = useUnit();
  const estimate = data.estimate;
  const sampled = new Map(estimate?.volumes.map((each) => [each.serial, each]));
  const logical = (estimate?.volumes ?? []).reduce((sum, each) => sum + each.logical_bytes, 0);
  const zeros = (estimate?.volumes ?? []).reduce((sum, each) => sum + each.zero_bytes, 0);
  return (
    <Box component="section" aria-label={`Volumes of ${data.pool}`} sx={{ ...CARD, overflowX: "auto" }}>
      <CardHead title={`Volumes of ${data.pool}`}>
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          {estimate ? (
            <>
              estimated <Moment at={estimate.made_at} /> from one block in {estimate.one_in}; ± is 95 % sure
            </>
          ) : (
            "not estimated yet: blocks are sampled by the array, and nothing is changed"
          )}
        </span>
      </CardHead>
      {data.volumes.map((volume) => {
        const found = sampled.get(volume.serial);
        return (
          <Box key={volume.id} sx={LINE}>
            <Checkbox
              size="small"
              checked={!left.has(volume.id)}
              slotProps={{ input: { "aria-label": `Choose ${volume.name}` } }}
              onChange={() => {
                toggle(volume.id);
              }}
            />
            <span>
              <b>{volume.name}</b>
              <span style={{ color: "var(--mute)", fontSize: 12, display: "block" }}>
                {volume.datastore ? `datastore ${volume.datastore}` : "no datastore"}
              </span>
            </span>
            <span>
              holds <span className="mono">{size(volume.held_bytes)}</span>
              <span style={{ color: "var(--mute)", fontSize: 12, display: "block" }}>
                {volume.reduced.length
                  ? `${doneBy(volume.reduced)}, which saves ${size(volume.saved_bytes ?? 0)}`
                  : "not reduced"}
              </span>
            </span>
            {found ? (
              <LeftBar
                logical={found.logical_bytes}
                zeros={found.zero_bytes}
                left={found.left}
                widest={logical}
              />
            ) : (
              <span style={{ color: "var(--mute)" }}>not estimated</span>
            )}
          </Box>
        );
      })}
      {estimate && estimate.volumes.length > 1 && (
        <Box sx={{ ...LINE, background: "var(--tideSoft)" }}>
          <span />
          <span>
            <b>together</b>
            <span style={{ color: "var(--mute)", fontSize: 12, display: "block" }}>
              {countOf(estimate.volumes.length, "volume")}
            </span>
          </span>
          <span style={{ color: "var(--mute)", fontSize: 12 }}>what several hold is kept once</span>
          <LeftBar logical={logical} zeros={zeros} left={estimate.left} widest={logical} />
        </Box>
      )}
    </Box>
  );
}

const LINE = {
  display: "grid",
  gridTemplateColumns: GRID,
  columnGap: 1.5,
  minWidth: 820,
  alignItems: "center",
  p: "6px 12px",
  borderTop: "1px solid var(--line)",
} as const;

/** Which volumes hold the same blocks. */
function Shared({ data }: { data: Reduction }) {
  const { size } = useUnit();
  const pairs = data.estimate?.shared ?? [];
  if (pairs.length === 0) return null;
  return (
    <Box component="section" aria-label="Which belong together" sx={{ ...CARD, mt: 1.5 }}>
      <CardHead title="Which belong together">
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          volumes that hold the same blocks save these only while they are in one pool
        </span>
      </CardHead>
      {pairs.map((pair) => (
        <Box key={`${pair.one} ${pair.other}`} sx={{ p: "4px 12px", borderTop: "1px solid var(--line)" }}>
          <b>{pair.one}</b> and <b>{pair.other}</b> both hold{" "}
          <span className="mono">{size(pair.size_bytes)}</span>
        </Box>
      ))}
    </Box>
  );
}
