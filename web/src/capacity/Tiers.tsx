import Box from "@mui/material/Box";
import { CARD, CardHead } from "../parts/CardHead";
import { formatShare } from "../parts/format";
import { useUnit } from "../parts/unit";
import type { OfPool } from "./queries";

type Tier = OfPool["tiers"][number];
const NIGHTS_HEIGHT = 34;

/** What lies on each tier of a pool, and what came to it, night by night. */
export function Tiers({ pool }: { pool: OfPool }) {
  const nights = pool.tiers.flatMap((tier) => tier.days.map((day) => day.moved_in_bytes));
  const most = Math.max(1, ...nights);
  return (
    <Box component="section" aria-label="Tiers" sx={{ ...CARD, overflowX: "auto" }}>
      <CardHead title="Tiers">
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          {pool.relocation ? `pages move between them ${pool.relocation} UTC` : "when pages move is not told"}
        </span>
      </CardHead>
      {pool.tiers.map((tier, place) => (
        <Line key={`${tier.media} ${String(place)}`} tier={tier} most={most} widest={pool.capacity_bytes} />
      ))}
    </Box>
  );
}

function Line({ tier, most, widest }: { tier: Tier; most: number; widest: number }) {
  const { size } = useUnit();
  const now = tier.days.at(-1);
  const first = tier.days[0];
  const change = now && first ? now.used_bytes - first.used_bytes : 0;
  const moved = tier.days.reduce((sum, day) => sum + day.moved_in_bytes, 0);
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: "70px minmax(200px, 1.2fr) 230px minmax(200px, 1fr) 190px",
        columnGap: 1.5,
        alignItems: "center",
        minWidth: 860,
        p: "6px 12px",
        borderTop: "1px solid var(--line)",
      }}
    >
      <b>{tier.media}</b>
      <Box aria-hidden sx={{ height: 14, background: "none" }}>
        <Box sx={{ height: 14, width: part(tier.capacity_bytes, widest), background: "var(--track)" }}>
          <Box
            sx={{
              height: 14,
              width: part(now?.used_bytes ?? 0, tier.capacity_bytes),
              background: "var(--heat2)",
            }}
          />
        </Box>
      </Box>
      <span className="mono" style={{ fontSize: 12 }}>
        {now
          ? `${size(now.used_bytes)} of ${size(tier.capacity_bytes)}, ${formatShare(now.used_bytes / Math.max(1, tier.capacity_bytes))}`
          : size(tier.capacity_bytes)}
        {now && tier.days.length > 1 && (
          <span style={{ color: "var(--mute)", display: "block" }}>
            {change >= 0 ? "+" : "−"}
            {size(Math.abs(change))} in {tier.days.length} days
          </span>
        )}
      </span>
      <Nights tier={tier} most={most} />
      <span style={{ color: "var(--mute)", fontSize: 12 }}>
        {tier.days.length ? `${size(moved)} came from other tiers` : "the array tells no more of it"}
      </span>
    </Box>
  );
}

/** A column for each night, as high as what came to the tier in it. */
function Nights({ tier, most }: { tier: Tier; most: number }) {
  const { size } = useUnit();
  const highest = Math.max(0, ...tier.days.map((day) => day.moved_in_bytes));
  return (
    <Box
      role="img"
      aria-label={`Came to ${tier.media} in each of ${String(tier.days.length)} nights, ${size(highest)} at most`}
      sx={{ display: "flex", alignItems: "flex-end", gap: "2px", height: NIGHTS_HEIGHT }}
    >
      {tier.days.map((day) => (
        <Box
          key={day.day}
          title={`${day.day}: ${size(day.moved_in_bytes)} came`}
          sx={{
            flex: "1 1 0",
            maxWidth: 8,
            height: Math.max(1, (NIGHTS_HEIGHT * day.moved_in_bytes) / most),
            background: "var(--tide)",
          }}
        />
      ))}
    </Box>
  );
}

const part = (bytes: number, of: number): string =>
  `${String(Math.min(100, (100 * bytes) / Math.max(1, of)))}%`;
