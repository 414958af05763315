import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Schemas } from "../api/problem";
import { Mark } from "../parts/Mark";

type Plan = Pick<Schemas["AttachPlan"], "advice" | "size_bytes"> & { volumes: readonly unknown[] };

interface Props {
  plan: Plan;
  /** How many are typed now. */
  count: string;
  fixed: boolean;
  take: (count: string, size: string) => void;
}

/** How many datastores the space should be cut into, and why; taken over with one click. */
export function SizingAdvice({ plan, count, fixed, take }: Props) {
  const { advice } = plan;
  if (!advice) return null;
  const followed = Number(count) === advice.count;
  return (
    <Box
      component="section"
      aria-label="Advice on size"
      sx={{
        p: "8px 12px",
        border: "1px solid var(--line)",
        borderRadius: "6px",
        background: "var(--card)",
      }}
    >
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center" }}>
        <Mark kind={followed ? "clear" : "part"} label={followed ? "as advised" : "otherwise than advised"} />
        <strong style={{ flex: 1 }}>
          {followed
            ? `${String(advice.count)} of this size, as advised`
            : `Advised for this space: ${String(advice.count)} of ${advice.size}`}
        </strong>
        {!followed && (
          <Button
            variant="outlined"
            disabled={fixed}
            onClick={() => {
              take(String(advice.count), advice.size);
            }}
          >
            Use {advice.count} of {advice.size}
          </Button>
        )}
      </Box>
      <details open={!followed} style={{ marginLeft: 26, color: "var(--mute)", fontSize: 12.5 }}>
        <summary>why</summary>
        <ul style={{ margin: "2px 0 0", paddingLeft: 18 }}>
          {advice.reasons.map((reason) => (
            <li key={reason}>{reason}</li>
          ))}
        </ul>
      </details>
    </Box>
  );
}
