import { Link } from "react-router";
import type { Schemas } from "../api/problem";
import { countOf } from "../parts/format";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";

type Way = Schemas["Way"];

const STATES: Record<string, string> = {
  Optimized: "optimized",
  NonOptimized: "non-optimized",
  Standby: "standby",
};
const numberOf = (way: Way) => (way.number === null ? "" : `${way.number_word} ${String(way.number)}`);

/** Paths by port, and there by access state: which portals each reaches. */
function pathsOf(way: Way): string {
  const byPort = new Map<string, Map<string, string[]>>();
  for (const [port = "", portal = "", state = ""] of way.paths) {
    const states = byPort.get(port) ?? new Map<string, string[]>();
    states.set(state, [...(states.get(state) ?? []), portal]);
    byPort.set(port, states);
  }
  const portals = (states: Map<string, string[]>) =>
    [...states].map(([state, names]) => `${names.join(" ")} ${STATES[state] ?? state}`.trim()).join(", ");
  return [...byPort].map(([port, states]) => `${port}: ${portals(states)}`).join("; ");
}

const COLUMNS: readonly Column<Way>[] = [
  {
    key: "host",
    head: "Host",
    value: (way) => way.host,
    cell: (way) => <Link to={`/trace/host/${String(way.host_id)}`}>{way.host}</Link>,
    sticky: true,
    width: 110,
  },
  { key: "volume", head: "Volume", value: (way) => way.volume, width: 130 },
  { key: "device", head: "Known there as", value: (way) => way.device, mono: true },
  { key: "number", head: "Number", value: numberOf, width: 130 },
  { key: "let in as", head: "Let in as", value: (way) => way.initiator, mono: true },
  {
    key: "paths",
    head: "Paths",
    value: pathsOf,
    cell: (way) => (
      <>
        <strong>{way.paths.length}</strong> {pathsOf(way)}
      </>
    ),
  },
];
const keyOf = (way: Way) => `${String(way.host_id)} ${way.volume} ${way.device}`;

/** How each host sees the volume, in its own words: device id, number, and every path with its state. */
export function WaysTable({ ways }: { ways: Way[] }) {
  if (ways.length === 0) return null;
  return (
    <DataTable
      name="Ways of the hosts"
      title="As the hosts see it"
      note={countOf(ways.length, "way")}
      columns={COLUMNS}
      rows={ways}
      rowKey={keyOf}
      empty="No host sees it."
    />
  );
}
