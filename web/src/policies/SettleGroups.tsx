import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useDraft } from "../lots/useDraft";
import { ProblemAlert } from "../parts/ProblemAlert";
import { countOf } from "../parts/format";
import { useUnit } from "../parts/unit";
import type { SettlePlan } from "./queries";

/** By group, the one plan that brings disks into policy and keeps its ceilings. */
export function SettleGroups({ plans }: { plans: readonly SettlePlan[] }) {
  const draft = useDraft();
  return (
    <>
      {plans.map((plan) => (
        <Box key={plan.group} sx={{ display: "flex", gap: 2, flexWrap: "wrap", alignItems: "center" }}>
          <Typography sx={{ flex: "1 1 30rem" }}>
            <b>{plan.group}</b> {plan.settled > 0 ? <Moves plan={plan} /> : "has no plan that settles any"}
            {plan.stays.map((why) => `; ${why}`).join("")}
          </Typography>
          {plan.settled > 0 && (
            <Button
              variant="outlined"
              disabled={draft.isPending}
              onClick={() => {
                const moves = plan.moves.map(([disk, target]) => ({ disk, target }));
                const limits = plan.limits.map(([disk, cap, floor]) => ({ disk, cap, floor }));
                draft.mutate({ kind: "balance", form: { group: plan.group, moves, limits } });
              }}
            >
              Settle {plan.group}
            </Button>
          )}
        </Box>
      ))}
      <ProblemAlert error={draft.error} />
    </>
  );
}

/** What the plan moves and reaches, beside the least that any plan moves. */
function Moves({ plan }: { plan: SettlePlan }) {
  const { size } = useUnit();
  return (
    <>
      one plan settles {plan.settled} of {countOf(plan.out, "disk")} by {waysOf(plan)}
      {plan.moves.length > 0 && (
        <>
          , {size(plan.moved_bytes)} in all; none that settles as many moves less than{" "}
          {size(plan.bound_bytes)}
        </>
      )}
      {plan.over > 0 && ceilings(plan)}
    </>
  );
}

/** By which steps: moves, limits set on disks, or both. */
function waysOf({ moves, limits }: SettlePlan): string {
  const ways = [
    moves.length > 0 ? countOf(moves.length, "move") : "",
    limits.length > 0 ? `limits of ${countOf(limits.length, "disk")}` : "",
  ];
  return ways.filter(Boolean).join(" and ");
}

/** How many of the ceilings that are passed now hold once it ran. */
function ceilings({ over, left_over }: SettlePlan): string {
  const held = over - left_over;
  const verb = held === 1 ? "holds" : "hold";
  return `; ${String(held)} of ${countOf(over, "passed ceiling")} ${verb} afterwards`;
}
