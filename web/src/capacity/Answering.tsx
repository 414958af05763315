import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { FactList } from "../parts/FactList";
import { countOf, formatApart, formatMs } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { curveQuery, type PoolCurve } from "./queries";

/** How a pool answers under load, as was learned, and how far plans may load it. */
export function Answering({ pool, may }: { pool: number; may: boolean }) {
  const { data: curve, error } = useQuery(curveQuery(pool));
  if (!curve) return <ProblemAlert error={error} />;
  return (
    <Box component="section" aria-label="How it answers">
      <FactList facts={factsOf(curve)} />
      {may && <Allow key={curve.allowed} pool={pool} curve={curve} />}
    </Box>
  );
}

function factsOf(curve: PoolCurve): [string, string][] {
  if (!curve.samples) return [["how it answers", "not measured"]];
  return [
    ["how it answers", `${curve.shape}, from ${countOf(curve.samples, "hour")}`],
    ["idle", formatMs(curve.idle_ms)],
    ["at the most seen", `${formatMs(curve.seen_ms)} at ${loadSaid(curve.seen)}`],
    [
      "nine in ten hours differ from that by",
      `${formatApart(curve.low)} to ${formatApart(curve.high)}${curve.cautious ? "; nothing is known beyond the most seen" : ""}`,
    ],
    ["below its ceiling, plans load it up to", mostSaid(curve)],
  ];
}

const loadSaid = (load: number): string =>
  `${Math.round(load).toLocaleString("en-GB")} reads of 8 KiB a second`;

function mostSaid(curve: PoolCurve): string {
  if (curve.allowed !== null && curve.allowed > (curve.known ?? Infinity))
    return `${loadSaid(curve.allowed)}, as people say`;
  return curve.known === null ? "any load" : `${loadSaid(curve.known)}, by what was seen`;
}

/** Has plans go beyond what was seen of a pool, by the word of who knows it. */
function Allow({ pool, curve }: { pool: number; curve: PoolCurve }) {
  const [load, setLoad] = useState(curve.allowed === null ? "" : String(curve.allowed));
  const queries = useQueryClient();
  const store = useMutation({
    mutationFn: (allowed: number | null) =>
      unwrap(api.PUT("/api/pools/{id}/curve/", { params: { path: { id: pool } }, body: { allowed } })),
    onSuccess: (answer) => {
      queries.setQueryData(curveQuery(pool).queryKey, answer);
    },
  });
  const wanted = Math.round(Number(load));
  return (
    <Box
      component="form"
      aria-label="Allowed load"
      sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap", mb: 1.5 }}
      onSubmit={(event) => {
        event.preventDefault();
        if (wanted >= 1) store.mutate(wanted);
      }}
    >
      <span>Whoever knows the pool may let plans load it up to</span>
      <TextField
        size="small"
        type="number"
        value={load}
        sx={{ width: 120 }}
        slotProps={{ htmlInput: { "aria-label": "Reads of 8 KiB a second", min: 1 } }}
        onChange={(event) => {
          setLoad(event.target.value);
        }}
      />
      <span>reads of 8 KiB a second, whatever was seen.</span>
      <Button type="submit" variant="outlined" size="small" disabled={wanted < 1 || store.isPending}>
        Allow it
      </Button>
      {curve.allowed !== null && (
        <Button
          size="small"
          disabled={store.isPending}
          onClick={() => {
            store.mutate(null);
          }}
        >
          Take it back
        </Button>
      )}
      <ProblemAlert error={store.error} />
    </Box>
  );
}
