import type { Schemas } from "../api/problem";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";

type ZoneChange = Schemas["ZoneChangeRow"];
interface Row extends ZoneChange {
  alias: string;
  wwpn: string;
}

const COLUMNS: readonly Column<Row>[] = [
  { key: "fabric", head: "Fabric", value: (row) => row.fabric, mono: true },
  {
    key: "zone",
    head: "Zone",
    value: (row) => row.zone,
    cell: (row) => (
      <>
        <span className="mono">{row.zone}</span> {row.new ? "(to be made)" : "(is there)"}
      </>
    ),
  },
  { key: "make or extend", head: "Do", value: (row) => (row.new ? "make" : "extend") },
  { key: "alias", head: "Add the member", value: (row) => row.alias },
  { key: "WWPN", head: "WWPN", value: (row) => row.wwpn, mono: true },
  {
    key: "for",
    head: "So that",
    value: (row) => `${row.host} ${row.port}`,
    cell: (row) => `${row.host} gets its paths over ${row.port}`,
  },
];
const keyOf = (row: Row) => `${row.fabric} ${row.host} ${row.port} ${row.wwpn}`;

/** The zones that paths are missing for: what to ask of those who look after the switches. */
export function ZoneChanges({ zones }: { zones: readonly ZoneChange[] }) {
  if (zones.length === 0) return null;
  const rows = zones.flatMap((zone) => zone.members.map((member): Row => ({ ...zone, ...member })));
  return (
    <DataTable
      name="Zones to ask for"
      title="Zones to ask for"
      note="Move Lot is not linked to the switches. Once a zone is changed there, reread the array, then rescan the host."
      columns={COLUMNS}
      rows={rows}
      rowKey={keyOf}
      empty="No zone is missing."
    />
  );
}
