import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import Typography from "@mui/material/Typography";
import { CARD } from "../parts/CardHead";
import { countOf } from "../parts/format";
import { folded, type FoldedColumn } from "./folding";
import type { Board, Cell, Row } from "./queries";

interface Props {
  board: Board;
  /** The chosen policy, its cells as they would be with what is typed. */
  chosen: { id: number; cells: readonly Cell[] | null };
  onChoose: (policy: number) => void;
  onCell: (policy: number, store: number) => void;
}

/** Policies against datastores, bracketed by pool: where each is served, and where its disks are. */
export function FitBoard({ board, chosen, onChoose, onCell }: Props) {
  const columns = folded(board.columns);
  return (
    <Box
      role="region"
      aria-label="Fit board, scrolls"
      tabIndex={0}
      sx={{ ...CARD, overflow: "auto", maxHeight: 420 }}
    >
      <table style={{ borderCollapse: "collapse", fontSize: 12.5 }} aria-label="Fit board">
        <thead>
          <tr>
            <th scope="col" rowSpan={2} style={{ minWidth: 190, textAlign: "left", padding: "8px 12px" }}>
              Policy
            </th>
            {bracketsOf(columns).map(({ pool, count, first }) => (
              <th
                key={first}
                scope="colgroup"
                colSpan={count}
                style={{ padding: "8px 4px 0", fontWeight: 400, color: "var(--mute)" }}
              >
                <Box
                  className="mono"
                  sx={{
                    borderBottom: "1px solid var(--mute)",
                    fontSize: 11,
                    overflow: "hidden",
                    textOverflow: "ellipsis",
                    whiteSpace: "nowrap",
                    maxWidth: count * 44,
                    textAlign: "left",
                  }}
                  title={pool || "a host's own drives"}
                >
                  {pool || "own drives"}
                </Box>
              </th>
            ))}
          </tr>
          <tr>
            {columns.map((column) => (
              <th
                key={column.key}
                scope="col"
                style={{ width: 44, height: 74, padding: 0, verticalAlign: "bottom" }}
              >
                <Box
                  className="mono"
                  sx={{
                    writingMode: "vertical-rl",
                    transform: "rotate(180deg)",
                    fontSize: 11,
                    fontWeight: 400,
                    mx: "auto",
                    maxHeight: 72,
                    overflow: "hidden",
                    textOverflow: "ellipsis",
                  }}
                  title={column.name}
                >
                  {column.name}
                </Box>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {board.policies.map((policy) => (
            <PolicyLine
              key={policy.id}
              policy={policy}
              columns={columns}
              cells={chosen.id === policy.id ? (chosen.cells ?? policy.cells) : policy.cells}
              chosen={chosen.id === policy.id}
              onChoose={onChoose}
              onCell={onCell}
            />
          ))}
        </tbody>
      </table>
    </Box>
  );
}

interface LineProps {
  policy: Row;
  columns: readonly FoldedColumn[];
  cells: readonly Cell[];
  chosen: boolean;
  onChoose: (policy: number) => void;
  onCell: (policy: number, store: number) => void;
}

function PolicyLine({ policy, columns, cells, chosen, onChoose, onCell }: LineProps) {
  const byStore = new Map(cells.map((cell) => [cell.store, cell]));
  return (
    <tr style={{ borderTop: "1px solid var(--line)", background: chosen ? "var(--tideSoft)" : undefined }}>
      <th scope="row" style={{ textAlign: "left", padding: "6px 12px", fontWeight: 400 }}>
        <ButtonBase
          aria-pressed={chosen}
          onClick={() => {
            onChoose(policy.id);
          }}
          sx={{ fontWeight: 650, fontSize: 13 }}
        >
          {policy.name}
        </ButtonBase>
        <Box sx={{ color: "var(--mute)", whiteSpace: "nowrap" }}>
          {countOf(policy.disks, "disk")}
          {policy.out > 0 && (
            <Box component="span" sx={{ color: "var(--buoyText)", ml: 1 }}>
              ▲ {policy.out} out of policy
            </Box>
          )}
          {policy.not_judged > 0 && (
            <Box component="span" sx={{ ml: 1 }}>
              ◇ {policy.not_judged} not judged
            </Box>
          )}
        </Box>
      </th>
      {columns.map((column) => (
        <td key={column.key} style={{ padding: 2 }}>
          <FitSquare
            cell={column.of(byStore)}
            policy={policy.name}
            place={column.name}
            onPress={
              column.store === null
                ? null
                : () => {
                    onCell(policy.id, column.store ?? 0);
                  }
            }
          />
        </td>
      ))}
    </tr>
  );
}

/** What a cell says, for those who do not see it. */
export function cellText({ answer, disks, out }: Cell): string {
  const there = disks > 0 ? `, ${countOf(disks, "disk")} there` : "";
  return `${answer}${there}${out > 0 ? `, ${String(out)} out of policy` : ""}`;
}

interface SquareProps {
  cell: Cell;
  policy: string;
  place: string;
  onPress: (() => void) | null;
}

function FitSquare({ cell, policy, place, onPress }: SquareProps) {
  const serves = cell.answer === "has it" || cell.answer === "can make it";
  const look = {
    width: 38,
    height: 32,
    borderRadius: "4px",
    fontWeight: 650,
    fontSize: 12,
    border: "1px solid var(--line)",
    color: "var(--ink)",
    ...(serves ? { background: "var(--heat1)", color: "var(--onHeat)", borderColor: "var(--heat1)" } : {}),
    ...(cell.answer === "can make it" ? { border: "1px dashed var(--ink)" } : {}),
    ...(cell.out > 0
      ? { background: "var(--buoySoft)", color: "var(--buoyText)", border: "1px solid var(--buoy)" }
      : {}),
  };
  const text = cell.out > 0 ? `▲${String(cell.disks)}` : cell.disks > 0 ? String(cell.disks) : "";
  return (
    <ButtonBase
      className="mono"
      sx={look}
      disabled={onPress === null}
      aria-label={`${policy} on ${place}: ${cellText(cell)}`}
      onClick={onPress ?? undefined}
    >
      {text || (cell.answer === "not known" ? "◇" : "")}
    </ButtonBase>
  );
}

interface Bracket {
  pool: string;
  count: number;
  first: string;
}

function bracketsOf(columns: readonly FoldedColumn[]): Bracket[] {
  const found: Bracket[] = [];
  for (const { pool, key } of columns) {
    const last = found.at(-1);
    if (last?.pool === pool) last.count += 1;
    else found.push({ pool, count: 1, first: key });
  }
  return found;
}

/** What the squares mean. */
export function FitLegend() {
  return (
    <Typography color="textSecondary" sx={{ fontSize: 12 }}>
      filled: served there (dashed: can be made) · empty: not, press for why · ◇ not known · numbers: disks of
      the policy there
    </Typography>
  );
}
