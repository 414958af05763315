import Button from "@mui/material/Button";
import { useMemo } from "react";
import type { Schemas } from "../api/problem";
import { formatMs, formatShare } from "../parts/format";
import { Mark } from "../parts/Mark";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";

type Row = Schemas["PlaceRow"];

interface Props {
  number: number;
  disk: Schemas["ProposedDisk"];
  /** The datastore that was chosen, none where it is proposed. */
  typed: number | null;
  fixed: boolean;
  place: (datastore: number | null) => void;
}

const keyOf = (row: Row) => String(row.id);

/** Every datastore for one new disk, best first: what it would become, or why it will not do. */
export function Places({ number, disk, typed, fixed, place }: Props) {
  const columns = useMemo<Column<Row>[]>(
    () => [
      {
        key: "name",
        head: "Datastore",
        value: (row) => row.name,
        cell: (row) => (
          <span style={{ display: "inline-flex", gap: 8, alignItems: "center", whiteSpace: "nowrap" }}>
            <Mark kind={row.chosen ? "chosen" : "unjudged"} label={row.chosen ? "chosen" : ""} />
            {row.name}
          </span>
        ),
      },
      {
        key: "verdict",
        head: "For this disk",
        value: (row) => row.verdict,
        cell: (row) => (
          <span style={{ display: "inline-flex", gap: 6, alignItems: "center" }}>
            <Mark kind={row.fits ? "clear" : "over"} label="" />
            <span style={row.fits ? undefined : { color: "var(--buoyText)" }}>{row.verdict}</span>
          </span>
        ),
      },
      {
        key: "fill",
        head: "Fill",
        figures: true,
        value: (row) => row.fill,
        cell: (row) => formatShare(row.fill),
      },
      {
        key: "peak_ms",
        head: "Peak hour",
        figures: true,
        value: (row) => row.peak_ms,
        cell: (row) => formatMs(row.peak_ms),
      },
      {
        key: "pool",
        head: "Pool",
        value: (row) => row.pool,
        cell: (row) => <span style={{ whiteSpace: "nowrap" }}>{row.pool}</span>,
      },
      { key: "reasons", head: "What stands against it", value: (row) => row.reasons.join("; ") },
      {
        key: "act",
        head: "",
        value: () => null,
        screenOnly: true,
        cell: (row) =>
          typed === row.id ? (
            <Button
              size="small"
              disabled={fixed}
              onClick={() => {
                place(null);
              }}
            >
              As proposed
            </Button>
          ) : (
            <Button
              size="small"
              disabled={fixed || !row.fits}
              aria-label={`Put disk ${String(number)} on ${row.name}`}
              onClick={() => {
                place(row.id);
              }}
            >
              Put it here
            </Button>
          ),
      },
    ],
    [typed, fixed, place, number],
  );
  return (
    <DataTable
      name={`Places for disk ${String(number)}`}
      title={`Places for disk ${String(number)}`}
      note={`${String(disk.fitting)} of ${String(disk.places.length)} fit, best first; why the others do not`}
      columns={columns}
      rows={disk.places}
      rowKey={keyOf}
      empty="No datastore of the cluster is known."
      emphasis={(row) => (row.chosen ? "recommended" : undefined)}
    />
  );
}
