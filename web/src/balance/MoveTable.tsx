import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { Link } from "react-router";
import { CsvButton } from "../parts/CsvButton";
import { countOf, formatSeconds } from "../parts/format";
import { useUnit } from "../parts/unit";
import type { Plan } from "./useBoard";

const SHOWN = 100;

interface Props {
  plan: Plan;
  editable: boolean;
  onRemove: (disk: number) => void;
}

/** The plan's moves with their reasons, its bytes beside the bound, and what stays broken. */
export function MoveTable({ plan, editable, onRemove }: Props) {
  const { size } = useUnit();
  return (
    <Box
      sx={{
        border: "1px solid var(--line)",
        borderRadius: "6px",
        background: "var(--card)",
        overflow: "auto",
      }}
    >
      <Table size="small" aria-label="Moves">
        <TableHead>
          <TableRow>
            <TableCell>Move</TableCell>
            <TableCell>From → to</TableCell>
            <TableCell align="right">Size</TableCell>
            <TableCell align="right">Takes</TableCell>
            <TableCell>Copy</TableCell>
            <TableCell />
          </TableRow>
        </TableHead>
        <TableBody>
          {plan.moves.slice(0, SHOWN).map((move) => (
            <TableRow key={`${String(move.disk)} ${String(move.target)}`}>
              <TableCell>
                <Link
                  to={`/trace/disk/${String(move.disk)}`}
                  style={{ fontWeight: 650, textDecoration: "none" }}
                >
                  {move.name}
                </Link>
                <div style={{ color: "var(--mute)", fontSize: 12 }}>
                  {move.staging ? "staging, makes room for an exchange" : move.reasons.join("; ")}
                </div>
              </TableCell>
              <TableCell className="mono">
                {move.source_name} → {move.target_name}
              </TableCell>
              <TableCell className="mono" align="right">
                {size(move.size_bytes)}
              </TableCell>
              <TableCell className="mono" align="right">
                {formatSeconds(move.end - move.start)}
              </TableCell>
              <TableCell>{move.offloaded ? "array copies it" : "over hosts"}</TableCell>
              <TableCell align="right">
                {editable && (
                  <Button
                    size="small"
                    onClick={() => {
                      onRemove(move.disk);
                    }}
                    aria-label={`Take ${move.name} out`}
                  >
                    Take out
                  </Button>
                )}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      <Box sx={{ p: "10px 12px" }}>
        <Box sx={{ float: "right" }}>
          <CsvButton
            name={`moves of ${plan.group}`}
            heads={[
              "disk",
              "machine",
              "from",
              "to",
              "size_bytes",
              "start_seconds",
              "end_seconds",
              "offloaded",
              "why",
            ]}
            rows={() =>
              plan.moves.map((move) => [
                move.name,
                move.machine,
                move.source_name,
                move.target_name,
                move.size_bytes,
                move.start,
                move.end,
                move.offloaded,
                move.reasons.join("; "),
              ])
            }
          />
        </Box>
        <Summary plan={plan} />
        {plan.moves.length > SHOWN && (
          <div>
            The first {SHOWN} of {plan.moves.length} moves are listed; the lot has all.
          </div>
        )}
        {[...plan.broken, ...plan.unresolved].map((text) => (
          <div key={text} style={{ color: "var(--buoyText)" }}>
            {text}
          </div>
        ))}
      </Box>
    </Box>
  );
}

function Summary({ plan }: { plan: Plan }) {
  const { size } = useUnit();
  if (!plan.moves.length)
    return (
      <span>
        {plan.needed ? "No move is planned." : "Every ceiling holds; nothing has to move."} Drag a block to
        another datastore, or press Enter on it, to plan a move.
      </span>
    );
  const does = plan.clears ? "clear every ceiling" : "do not clear every ceiling";
  return (
    <span>
      <strong>
        {countOf(plan.moves.length, "move")}, {size(plan.moved_bytes)}
      </strong>{" "}
      {does}.{" "}
      {plan.needed && (
        <>
          No plan can do it with less than <strong className="mono">{size(plan.bound_bytes)}</strong>.
        </>
      )}
    </span>
  );
}
