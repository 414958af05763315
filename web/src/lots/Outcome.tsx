import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import type { Schemas } from "../api/problem";
import { formatMs, formatShare } from "../parts/format";
import { useUnit } from "../parts/unit";

type Row = Schemas["MeasuredRow"];

/** What was predicted beside what was measured once the lot had ended. */
export function Outcome({ rows }: { rows: readonly Row[] }) {
  const { size } = useUnit();
  const text = (row: Row, value: number | null): string => {
    if (value === null) return "–";
    if (row.figure === "fill") return `${(value * 100).toFixed(1)} %`;
    if (row.figure === "latency") return formatMs(value);
    return row.figure === "capacity in bytes" ? size(value) : String(value);
  };
  return (
    <Table
      size="small"
      aria-label="Predicted and measured"
      sx={{ background: "var(--card)", border: "1px solid var(--line)" }}
    >
      <TableHead>
        <TableRow>
          {["Of", "Figure", "Before", "Predicted", "Measured", "Off by", "How"].map((head) => (
            <TableCell key={head}>{head}</TableCell>
          ))}
        </TableRow>
      </TableHead>
      <TableBody>
        {rows.map((row) => (
          <TableRow key={`${row.subject} ${row.figure}`}>
            <TableCell>{row.subject}</TableCell>
            <TableCell>{row.figure.replace(" in bytes", "")}</TableCell>
            <TableCell className="mono">{text(row, row.before)}</TableCell>
            <TableCell className="mono">{text(row, row.predicted)}</TableCell>
            <TableCell className="mono">{text(row, row.measured)}</TableCell>
            <TableCell className="mono">{offBy(row)}</TableCell>
            <TableCell sx={{ color: "var(--mute)" }}>{row.note}</TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

function offBy(row: Row): string {
  if (row.predicted === null || row.measured === null || !row.predicted) return "–";
  return formatShare(Math.abs(row.measured - row.predicted) / row.predicted);
}
