import Button from "@mui/material/Button";
import { useState } from "react";
import type { Schemas } from "../api/problem";
import { countOf, formatMs, formatShare } from "../parts/format";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useUnit } from "../parts/unit";

type Row = Schemas["MeasuredRow"];

function offBy(row: Row): string {
  if (row.predicted === null || row.measured === null || !row.predicted) return "–";
  return formatShare(Math.abs(row.measured - row.predicted) / row.predicted);
}

/** What was predicted beside what was measured once the lot had ended. */
export function Outcome({ rows }: { rows: readonly Row[] }) {
  const { size } = useUnit();
  const [whole, setWhole] = useState(false);
  const touched = rows.filter((row) => row.touched);
  const others = rows.filter((row) => !row.touched);
  const folds = touched.length > 0 && others.length > 0;
  const text = (row: Row, value: number | null): string => {
    if (value === null) return "–";
    if (row.figure === "fill") return `${(value * 100).toFixed(1)} %`;
    if (row.figure === "latency") return formatMs(value);
    return row.figure.endsWith(" in bytes") ? size(value) : String(value);
  };
  const figure = (key: "before" | "predicted" | "measured", head: string): Column<Row> => ({
    key,
    head,
    value: (row) => row[key],
    cell: (row) => text(row, row[key]),
    mono: true,
  });
  const columns: Column<Row>[] = [
    { key: "subject", head: "Of", value: (row) => row.subject },
    { key: "figure", head: "Figure", value: (row) => row.figure.replace(" in bytes", "") },
    figure("before", "Before"),
    figure("predicted", "Predicted"),
    figure("measured", "Measured"),
    { key: "off", head: "Off by", value: offBy, mono: true },
    { key: "note", head: "How", value: (row) => row.note ?? "" },
  ];
  return (
    <DataTable
      name="Predicted and measured"
      title="Predicted and measured"
      note={
        folds && (
          <Button
            size="small"
            aria-expanded={whole}
            onClick={() => {
              setWhole(!whole);
            }}
          >
            {whole
              ? "Only what the lot changes"
              : `Show ${countOf(others.length, "figure it leaves as it is", "figures it leaves as they are")}`}
          </Button>
        )
      }
      columns={columns}
      rows={folds && !whole ? touched : [...touched, ...others]}
      rowKey={(row) => `${row.subject} ${row.figure}`}
      empty="Nothing was predicted."
    />
  );
}
