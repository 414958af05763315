import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";
import { Link, useParams } from "react-router";
import { CARD, CardHead } from "../parts/CardHead";
import { FactList } from "../parts/FactList";
import { countOf, formatShare } from "../parts/format";
import { Labels } from "../parts/Labels";
import { useUnit } from "../parts/unit";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { AddDrives } from "./AddDrives";
import { Answering } from "./Answering";
import { LayerBar, LayerKey } from "./LayerBar";
import { type OfPool, poolQuery } from "./queries";
import { Retire } from "./Retire";
import { runwayText } from "./runways";
import { Tiers } from "./Tiers";

const CoursePanel = lazy(async () => ({ default: (await import("./CoursePanel")).CoursePanel }));

/** A pool: where its bytes are and when they run out, what it is made of, its tiers, and what its volumes hold. */
export function PoolPage() {
  const id = Number(useParams().id) || 0;
  const { data: pool, error } = useQuery(poolQuery(id));
  const { data: session } = useSession();
  const [retiring, setRetiring] = useState(false);
  const { size } = useUnit();
  return (
    <Page
      title={pool?.name ?? "Pool"}
      stage="capacity"
      error={error}
      loading={!pool}
      note={
        pool && (
          <Typography color="textSecondary">
            pool of <Link to={`/trace/device/${String(pool.array_id)}`}>{pool.array}</Link>
          </Typography>
        )
      }
      actions={
        pool && (
          <>
            {pool.reduces.length > 0 && (
              <Button
                component={Link}
                to={`/capacity/reduction?pool=${String(pool.id)}`}
                variant="outlined"
                size="small"
              >
                Data reduction
              </Button>
            )}
            {session?.may_change && (
              <Button
                variant="outlined"
                size="small"
                aria-expanded={retiring}
                onClick={() => {
                  setRetiring(!retiring);
                }}
              >
                Retire it
              </Button>
            )}
          </>
        )
      }
    >
      {pool && (
        <>
          {retiring && <Retire pool={pool} />}
          <Labels kind="pool" id={pool.id} />
          {pool.row && (
            <Box component="section" aria-label="Room" sx={{ ...CARD, mt: 1 }}>
              <CardHead title="Room">
                <span style={{ color: "var(--mute)", fontSize: 12 }}>
                  {size(pool.row.used_bytes)} of {size(pool.row.capacity_bytes)} held; {runwayText(pool.row)}
                </span>
              </CardHead>
              <Box sx={{ p: "8px 12px" }}>
                <LayerBar
                  row={pool.row}
                  widest={Math.max(pool.row.capacity_bytes, pool.row.subscribed_bytes ?? 0)}
                />
                <LayerKey />
              </Box>
            </Box>
          )}
          <MadeOf pool={pool} may={session?.may_change ?? false} />
          <Answering pool={pool.id} may={session?.may_change ?? false} />
          {pool.tiers.length > 0 && <Tiers pool={pool} />}
          <Volumes pool={pool} />
          {pool.row && (
            <Suspense fallback={null}>
              <CoursePanel row={pool.row} alone />
            </Suspense>
          )}
        </>
      )}
    </Page>
  );
}

/** Drives, layout, cache, and how much of it is promised. */
function MadeOf({ pool, may }: { pool: OfPool; may: boolean }) {
  const { size } = useUnit();
  const facts: [string, string][] = pool.drives.map((each) => [
    `${each.media} drives ${each.state}`,
    `${String(each.count)}${each.size_bytes ? ` of ${size(each.size_bytes)}` : ""}`,
  ]);
  facts.push(["layout", [pool.raid, groupsSaid(pool)].filter(Boolean).join(", ") || "not told"]);
  if (pool.cache_bytes) {
    const hits = pool.cache_hit_share;
    facts.push([
      "cache",
      `${size(pool.cache_bytes)}${hits === null ? "" : `, spares ${formatShare(hits)} of reads`}`,
    ]);
  }
  if (pool.page_bytes) facts.push(["taken in pages of", size(pool.page_bytes)]);
  facts.push([
    "promised",
    `${size(pool.subscribed_bytes)}, ${(pool.subscribed_bytes / Math.max(1, pool.capacity_bytes)).toFixed(2)} to 1`,
  ]);
  if (pool.addable_drives) facts.push(["can still join", countOf(pool.addable_drives, "drive")]);
  facts.push(["granted to you", grantSaid(pool, size)]);
  return (
    <Box component="section" aria-label="Made of" sx={{ mt: 1.5 }}>
      <FactList facts={facts} />
      {may && pool.addable_drives > 0 && <AddDrives pool={pool} />}
    </Box>
  );
}

function groupsSaid(pool: OfPool): string {
  if (pool.groups.length === 0) return "";
  const drives = pool.groups.map((group) => group.drives);
  const [least, most] = [Math.min(...drives), Math.max(...drives)];
  const each = least === most ? String(least) : `${String(least)} to ${String(most)}`;
  return `${countOf(pool.groups.length, "group")} of ${each} drives`;
}

const grantSaid = (pool: OfPool, size: (bytes: number) => string): string => {
  if (!pool.granted) return "nothing of it";
  return pool.quota_bytes === null ? "all of it" : size(pool.quota_bytes);
};

const GRID = "minmax(150px, 1fr) minmax(140px, 1fr) minmax(220px, 2fr) 210px minmax(110px, 0.7fr)";

/** What each volume promises, and what of that it holds. */
function Volumes({ pool }: { pool: OfPool }) {
  const { size } = useUnit();
  const widest = Math.max(1, ...pool.volumes.map((each) => Math.max(each.size_bytes, each.held_bytes)));
  const shown = pool.volumes.length;
  return (
    <Box component="section" aria-label="Volumes" sx={{ ...CARD, mt: 1.5, overflowX: "auto" }}>
      <CardHead title="Volumes">
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          {pool.volume_count === 0
            ? "none lies in it"
            : `${shown < pool.volume_count ? `the ${String(shown)} largest of ${String(pool.volume_count)}` : countOf(shown, "volume")}: what is promised, and what of it is held`}
        </span>
      </CardHead>
      {pool.volumes.map((volume) => (
        <Box
          key={volume.id}
          sx={{
            display: "grid",
            gridTemplateColumns: GRID,
            columnGap: 1.5,
            alignItems: "center",
            minWidth: 860,
            p: "5px 12px",
            borderTop: "1px solid var(--line)",
          }}
        >
          <Link to={`/trace/volume/${String(volume.id)}`}>{volume.name}</Link>
          {volume.datastore_id === null ? (
            <span style={{ color: "var(--mute)" }}>no datastore</span>
          ) : (
            <Link to={`/trace/datastore/${String(volume.datastore_id)}`}>{volume.datastore}</Link>
          )}
          <Box aria-hidden sx={{ position: "relative", height: 10, background: "none" }}>
            <Box
              sx={{ ...STRIPE, width: share(volume.size_bytes, widest), outline: "1px solid var(--mute)" }}
            />
            <Box sx={{ ...STRIPE, width: share(volume.held_bytes, widest), background: "var(--heat2)" }} />
          </Box>
          <span className="mono" style={{ fontSize: 12 }}>
            {size(volume.held_bytes)} of {size(volume.size_bytes)}
          </span>
          <span style={{ color: "var(--mute)", fontSize: 12 }}>{waysSaid(volume, size)}</span>
        </Box>
      ))}
    </Box>
  );
}

const STRIPE = { position: "absolute", top: 0, left: 0, height: 10 } as const;
const share = (bytes: number, widest: number): string => `${String((100 * bytes) / widest)}%`;
const KEPT: Record<string, string> = { fastest: "fastest tier", slowest: "slowest tier" };

/** What is particular of a volume, in a few words. */
function waysSaid(volume: OfPool["volumes"][number], size: (bytes: number) => string): string {
  return [
    volume.thin ? "thin" : "thick",
    KEPT[volume.tiering],
    volume.saved_bytes ? `saves ${size(volume.saved_bytes)}` : "",
    volume.offers === 0 && volume.kind !== "file" ? "offered to nobody" : "",
  ]
    .filter(Boolean)
    .join(", ");
}
