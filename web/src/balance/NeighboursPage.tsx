import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { Choice } from "../lots/drafts/fields";
import { useDraft } from "../lots/useDraft";
import { CARD, CardHead } from "../parts/CardHead";
import { countOf, formatHour, formatMs, formatShare } from "../parts/format";
import { HourStrip } from "../parts/HourStrip";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { PeaksApart } from "./PeaksApart";
import {
  busyPoolsQuery,
  type BusyPool,
  type FairCaps,
  type LoudDisk,
  neighboursQuery,
  type PoolNeighbours,
} from "./queries";

/** Who makes a pool slow at which hours, and what fair caps would give to all. */
export function NeighboursPage() {
  const pools = useQuery(busyPoolsQuery());
  const [search, setSearch] = useSearchParams();
  const chosen = Number(search.get("pool")) || pools.data?.[0]?.id;
  return (
    <Page
      title="Noisy neighbours"
      stage="balance"
      error={pools.error}
      loading={!pools.data}
      note={
        pools.data &&
        chosen && (
          <PoolChoice
            pools={pools.data}
            chosen={chosen}
            choose={(pool) => {
              setSearch({ pool });
            }}
          />
        )
      }
    >
      {pools.data?.length === 0 && (
        <Typography>
          No pool is known yet: link an array under <Link to="/devices">Devices</Link>.
        </Typography>
      )}
      {chosen && <OfPool key={chosen} pool={chosen} />}
    </Page>
  );
}

interface ChoiceProps {
  pools: readonly BusyPool[];
  chosen: number;
  choose: (pool: string) => void;
}

function PoolChoice({ pools, chosen, choose }: ChoiceProps) {
  const options = pools.map(
    ({ id, name, peak_ms }) =>
      [String(id), peak_ms === null ? name : `${name}, ${formatMs(peak_ms)} at its slowest`] as const,
  );
  return (
    <Box sx={{ width: 320 }}>
      <Choice label="Pool" value={String(chosen)} fixed={false} options={options} choose={choose} />
    </Box>
  );
}

function OfPool({ pool }: { pool: number }) {
  const { data, error } = useQuery(neighboursQuery(pool));
  if (!data) return <ProblemAlert error={error} />;
  return (
    <Box sx={{ display: "grid", gap: 2, gridTemplateColumns: { xs: "1fr", md: "minmax(0, 1fr) 320px" } }}>
      <Neighbours found={data} />
      <Box sx={{ display: "grid", gap: 2, alignContent: "start" }}>
        <Hours found={data} />
        <CapFairly caps={data.caps} />
        <PeaksApart pool={pool} />
      </Box>
    </Box>
  );
}

const peakOf = ({ peak_hour, peak_day }: FairCaps) =>
  `${formatHour(peak_hour)} ${peak_day === "weekend" ? "at weekends" : "on weekdays"}`;

function Hours({ found: { caps, over_hours } }: { found: PoolNeighbours }) {
  const over = caps.peak_ms > caps.ceiling_ms;
  return (
    <Box component="section" aria-label={`Hours of ${caps.pool}`} sx={{ ...CARD, p: 1.5 }}>
      <Typography sx={{ color: over ? "var(--buoyText)" : "inherit", mb: 0.75 }}>
        {over ? "▲" : "■"} {formatMs(caps.peak_ms)} at {peakOf(caps)}, ceiling {formatMs(caps.ceiling_ms)}
        {over_hours > 0 && `; over it at ${countOf(over_hours, "hour")}`}
      </Typography>
      <HourStrip
        title={`Latency of ${caps.pool} by weekday hour`}
        now={caps.latency_ms}
        {...(caps.disks.length ? { after: caps.capped_latency_ms } : {})}
        ceiling={caps.ceiling_ms}
      />
      <div style={{ fontSize: 12, color: "var(--mute)", marginTop: 4 }}>
        weekdays, as its load and its curve predict{caps.disks.length > 0 && "; the line: with fair caps"}
      </div>
    </Box>
  );
}

function columnsOf(caps: FairCaps): Column<LoudDisk>[] {
  const capped = new Map(caps.disks.map((disk) => [disk.id, disk]));
  return [
    {
      key: "disk",
      head: "Disk",
      value: (disk) => disk.name,
      cell: (disk) => (
        <>
          <Link to={`/trace/disk/${String(disk.id)}`} style={{ fontWeight: 650, textDecoration: "none" }}>
            {disk.name}
          </Link>{" "}
          <span style={{ color: "var(--mute)" }}>{disk.datastore}</span>
        </>
      ),
      sticky: true,
    },
    {
      key: "share",
      head: "Of the load",
      value: (disk) => disk.share,
      cell: (disk) => formatShare(disk.share),
      figures: true,
      width: 100,
    },
    {
      key: "asks",
      csv: "asks_iops",
      head: "Asks, IOPS",
      value: (disk) => Math.round(disk.asks_iops),
      cell: (disk) => Math.round(disk.asks_iops).toLocaleString("en-GB"),
      figures: true,
      width: 100,
    },
    {
      key: "cap",
      csv: "cap_iops",
      head: "Fair cap",
      value: (disk) => capped.get(disk.id)?.cap ?? null,
      cell: (disk) => {
        const gives = capped.get(disk.id);
        return gives ? `${gives.cap.toLocaleString("en-GB")}, −${formatShare(gives.waits)}` : "left alone";
      },
      figures: true,
      width: 120,
    },
    {
      key: "busiest",
      head: "Busiest itself",
      value: (disk) => `${formatHour(disk.busiest_hour)} ${disk.busiest_day}s`,
      width: 140,
    },
  ];
}

const keyOf = (disk: LoudDisk) => String(disk.id);

function Neighbours({ found }: { found: PoolNeighbours }) {
  const { caps, neighbours, others, others_share } = found;
  const rest = others
    ? `${countOf(others, "other")} ${others === 1 ? "makes" : "make"} ${formatShare(others_share)} of it`
    : "";
  return (
    <DataTable
      name={`Neighbours on ${caps.pool}`}
      title={`Who makes ${caps.pool} busy at ${peakOf(caps)}`}
      note={rest}
      columns={columnsOf(caps)}
      rows={neighbours}
      rowKey={keyOf}
      tall
      empty="No disk asks anything of this pool."
    />
  );
}

function CapFairly({ caps }: { caps: FairCaps }) {
  const draft = useDraft();
  const { data: session } = useSession();
  const [days, setDays] = useState(String(caps.days));
  const meant = /^\d+$/.test(days) && Number(days) >= 1 && Number(days) <= 90;
  return (
    <Box
      component="form"
      aria-label="Cap fairly"
      sx={CARD}
      onSubmit={(event) => {
        event.preventDefault();
        draft.mutate({ kind: "fair_caps", form: { pool: caps.pool_id, days: Number(days) } });
      }}
    >
      <CardHead title="Cap fairly">{null}</CardHead>
      <Box sx={{ display: "grid", gap: 1.5, p: 1.5 }}>
        <Typography>{gives(caps)}</Typography>
        {caps.disks.length > 0 && session?.may_change && (
          <>
            <TextField
              label="For how many days"
              value={days}
              error={!meant}
              onChange={(event) => {
                setDays(event.target.value);
              }}
              helperText="1 to 90; then the caps go by themselves"
            />
            <ProblemAlert error={draft.error} />
            <div>
              <Button type="submit" variant="contained" disabled={!meant || draft.isPending}>
                Draft lot
              </Button>
            </div>
          </>
        )}
      </Box>
    </Box>
  );
}

function gives(caps: FairCaps): string {
  if (caps.peak_ms <= caps.ceiling_ms) return "It is within its ceiling: nobody has to give way.";
  if (!caps.disks.length) return "No disk of it can be capped, or all ask for less than their floors.";
  const who =
    caps.disks.length === 1
      ? "the disk that asks for most gives way"
      : `${String(caps.disks.length)} disks give way, those that ask for most and all to the same share`;
  return `Until disks can move: ${who}. ${countOf(caps.left_alone, "other is", "others are")} left alone, and everybody is answered in ${formatMs(caps.capped_ms)} at most instead of ${formatMs(caps.peak_ms)}.`;
}
