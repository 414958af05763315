import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../api/problem";
import { Mark, type MarkKind } from "../parts/Mark";
import { useUnit } from "../parts/unit";

type Plan = Pick<Schemas["AttachPlan"], "pools" | "pools_chosen" | "size_bytes"> & {
  volumes: readonly unknown[];
};
type Pool = Schemas["PoolRow"];

const MARKS: Record<Pool["verdict"], MarkKind> = { fits: "clear", tight: "part", refused: "over" };

/** Every pool with its space, what the volume would take, and why it fits or does not; several for several volumes. */
export function PoolFits({
  plan,
  wanted,
  choose,
  disabled,
}: {
  plan: Plan;
  /** What the form has: shown at once, before the plan for it has come. */
  wanted: readonly number[];
  choose: (pools: number[]) => void;
  disabled: boolean;
}) {
  const several = plan.volumes.length > 1;
  const offered = wanted.filter((id) => plan.pools.some((pool) => pool.id === id));
  const shown = offered.length ? offered : plan.pools_chosen;
  const chosen = new Set(shown);
  /** The choice after a click: one pool for one volume; for several, one more or one less, but never none. */
  const toggled = (id: number): number[] => {
    if (!several) return [id];
    if (!chosen.has(id)) return [...shown, id];
    const rest = shown.filter((other) => other !== id);
    return rest.length ? rest : [id];
  };
  return (
    <Box
      role={several ? "group" : "radiogroup"}
      aria-label={several ? "Pools" : "Pool"}
      sx={{
        border: "1px solid var(--line)",
        borderRadius: "6px",
        background: "var(--card)",
        overflow: "hidden",
      }}
    >
      <Box sx={{ display: "flex", p: "8px 12px", borderBottom: "1px solid var(--line)" }}>
        <Typography variant="h2" component="h2" sx={{ flex: 1 }}>
          {several ? "Pools" : "Pool"}
        </Typography>
        <span style={{ color: "var(--mute)", fontSize: 12 }}>allocated, this volume, ┃ subscribed after</span>
      </Box>
      {plan.pools.map((pool) => (
        <PoolLine
          key={pool.id}
          pool={pool}
          size={plan.size_bytes ?? 0}
          role={several ? "checkbox" : "radio"}
          chosen={chosen.has(pool.id)}
          twice={plan.pools.some((other) => other.name === pool.name && other.id !== pool.id)}
          disabled={disabled}
          onChoose={() => {
            choose(toggled(pool.id));
          }}
        />
      ))}
    </Box>
  );
}

interface LineProps {
  pool: Pool;
  size: number;
  role: "radio" | "checkbox";
  chosen: boolean;
  /** Another array has a pool of this name. */
  twice: boolean;
  disabled: boolean;
  onChoose: () => void;
}

function PoolLine({ pool, size, role, chosen, twice, disabled, onChoose }: LineProps) {
  const { size: text } = useUnit();
  const share = (bytes: number) =>
    `${String(Math.min(100, (bytes / Math.max(pool.capacity_bytes, 1)) * 100))}%`;
  return (
    <Box
      component="label"
      sx={{
        display: "grid",
        gridTemplateColumns: "20px 130px minmax(90px, 1fr) 110px minmax(120px, 1fr)",
        gap: 1.25,
        p: "8px 12px",
        alignItems: "center",
        fontSize: 13,
        background: chosen ? "var(--tideSoft)" : "none",
        "& + &": { borderTop: "1px solid var(--line)" },
      }}
    >
      <input
        type={role}
        name="pool"
        checked={chosen}
        disabled={disabled}
        onChange={onChoose}
        style={{ accentColor: "var(--tide)", margin: 0 }}
      />
      <span>
        <strong>{pool.name}</strong>
        {twice && <span style={{ color: "var(--mute)" }}> on {pool.array}</span>}
      </span>
      <Box sx={{ position: "relative", height: 12, background: "var(--track)", overflow: "hidden" }}>
        <Box
          sx={{
            position: "absolute",
            inset: 0,
            width: share(pool.allocated_bytes),
            background: "var(--heat2)",
          }}
        />
        <Box
          sx={{
            position: "absolute",
            top: 0,
            bottom: 0,
            left: share(pool.allocated_bytes),
            width: share(size),
            background: "repeating-linear-gradient(45deg, var(--tide) 0 4px, var(--card) 4px 7px)",
          }}
        />
        <Box
          sx={{
            position: "absolute",
            top: 0,
            bottom: 0,
            left: `min(${share(pool.subscription_after * pool.capacity_bytes)}, calc(100% - 2px))`,
            width: 2,
            background: "var(--ink)",
          }}
        />
      </Box>
      <span className="mono" style={{ fontSize: 12 }}>
        {text(pool.free_bytes)} free
      </span>
      <span style={{ display: "flex", gap: 6, alignItems: "center", fontSize: 12.5 }}>
        <Mark kind={MARKS[pool.verdict]} label={pool.verdict} />
        <span>
          {pool.text}
          {chosen && pool.made_of && (
            <div style={{ color: "var(--mute)", fontSize: 11.5 }}>{pool.made_of}</div>
          )}
        </span>
      </span>
    </Box>
  );
}
