import Box from "@mui/material/Box";
import { useMemo } from "react";
import type { Schemas } from "../api/problem";
import { countOf } from "./format";
import { Mark } from "./Mark";
import { Picture } from "./picture/Picture";
import type { Column } from "./table/columns";
import { DataTable } from "./table/DataTable";

type Board = Schemas["Board"];
type Host = Board["hosts"][number];
type PathState = Schemas["PathState"];

const MARKS = { active: "clear", other: "other", standby: "standby", missing: "missing" } as const;
const WORDS: Record<PathState, string> = {
  active: "active",
  other: "other controller",
  standby: "stands by",
  missing: "expected, missing",
};
const NAMED = 5;

/** An address in lines that fit a column: a WWPN in two halves. */
const linesOf = (address: string): string[] =>
  address.length > 16 && address.includes(":") ? [address.slice(0, 12), address.slice(12)] : [address];

const hostsOf = (host: Host): string[] => [host.name, ...(host.others ?? [])];

function PathMark({ state, label }: { state: PathState; label?: string }) {
  return (
    <Mark
      kind={MARKS[state]}
      {...(label === undefined ? {} : { label })}
      {...(state === "active" ? { colour: "var(--tide)" } : {})}
    />
  );
}

/** Hosts as rows, portals as columns, a mark per path, the reason at the row's end; hosts that are alike share a row. */
export function PathBoard({ board, title }: { board: Board; title: string }) {
  const standby = board.hosts.some((host) => host.paths.some((path) => path.state === "standby"));
  const legend: PathState[] = ["active", "other", ...(standby ? ["standby" as const] : []), "missing"];
  return (
    <Picture
      title={title}
      legend={legend.map((state) => (
        <Box
          key={state}
          component="span"
          sx={{ display: "inline-flex", gap: 0.75, alignItems: "center", fontSize: 12, color: "var(--mute)" }}
        >
          <PathMark state={state} /> {WORDS[state]}
        </Box>
      ))}
      note={
        <span className="mono">
          {board.seen} of {board.expected}
        </span>
      }
      csv={{
        name: "paths",
        heads: ["host", "port", "portal", "state", "reason"],
        rows: () =>
          pathsOf(board).map((path) => [path.host, path.port, path.portal, path.state, path.reason]),
      }}
      twin={<PathTable board={board} title={title} />}
    >
      <Box sx={{ overflow: "auto" }} tabIndex={0} role="region" aria-label={title}>
        <table style={{ borderCollapse: "collapse", fontSize: 13 }}>
          <thead>
            <tr>
              <th style={{ padding: "6px 12px" }} aria-label="Host" />
              {board.portals.map((portal) => (
                <th key={portal.name} scope="col" className="mono" style={PORTAL}>
                  {portal.name}
                  {linesOf(portal.address).map((line) => (
                    <div key={line} style={{ color: "var(--mute)", fontSize: 10 }}>
                      {line}
                    </div>
                  ))}
                </th>
              ))}
              <th style={REASONS}>paths</th>
            </tr>
          </thead>
          <tbody>
            {board.hosts.map((host) => (
              <HostRow key={host.name} host={host} portals={board.portals} />
            ))}
          </tbody>
        </table>
      </Box>
    </Picture>
  );
}

const PORTAL = {
  padding: "6px 5px",
  fontSize: 11.5,
  fontWeight: 500,
  borderLeft: "1px solid var(--line)",
  whiteSpace: "nowrap",
} as const;
const REASONS = {
  padding: "6px 12px",
  textAlign: "left",
  fontWeight: 400,
  color: "var(--mute)",
  width: "100%",
  minWidth: 170,
} as const;

function HostRow({ host, portals }: { host: Host; portals: Board["portals"] }) {
  const others = host.others ?? [];
  const names = hostsOf(host);
  return (
    <tr>
      <th
        scope="row"
        style={{ padding: "5px 12px", textAlign: "left", whiteSpace: "nowrap" }}
        title={names.join(", ")}
      >
        {others.length ? `${host.name} and ${countOf(others.length, "more", "more")}` : host.name}
      </th>
      {portals.map((portal) => (
        <td
          key={portal.name}
          style={{ textAlign: "center", borderLeft: "1px solid var(--line)", padding: "4px 5px" }}
        >
          {host.paths
            .filter((path) => path.portal === portal.name)
            .map((path) => (
              <PathMark
                key={path.port}
                state={path.state}
                label={`${path.port} to ${portal.name}: ${WORDS[path.state]}`}
              />
            ))}
        </td>
      ))}
      <td
        style={{
          padding: "5px 12px",
          fontSize: 12.5,
          color: host.reason ? "var(--buoyText)" : "var(--mute)",
        }}
      >
        {host.seen} of {host.expected}
        {others.length > 0 && " each"}
        {host.reason && ` · ${host.reason}`}
        {others.length > 0 && host.reason && (
          <div style={{ color: "var(--mute)" }}>
            {names.slice(0, NAMED).join(", ")}
            {names.length > NAMED && ` and ${String(names.length - NAMED)} more`}
          </div>
        )}
      </td>
    </tr>
  );
}

interface PathRow {
  host: string;
  port: string;
  portal: string;
  state: PathState;
  reason: string;
}

/** A row a path, of hosts that share a row too. */
function pathsOf(board: Board): PathRow[] {
  return board.hosts.flatMap((host) =>
    hostsOf(host).flatMap((name) => host.paths.map((path) => ({ host: name, ...path }))),
  );
}

const COLUMNS: readonly Column<PathRow>[] = [
  { key: "host", head: "Host", value: (row) => row.host, width: 150, sticky: true },
  { key: "port", head: "Port", value: (row) => row.port, width: 130 },
  { key: "portal", head: "Portal", value: (row) => row.portal, width: 110, mono: true },
  {
    key: "state",
    head: "State",
    value: (row) => row.state,
    cell: (row) => (
      <>
        <PathMark state={row.state} label="" /> {WORDS[row.state]}
      </>
    ),
    width: 170,
  },
  { key: "reason", head: "Why", value: (row) => row.reason },
];
const keyOf = (row: PathRow) => `${row.host} ${row.port} ${row.portal}`;

function PathTable({ board, title }: { board: Board; title: string }) {
  const rows = useMemo(() => pathsOf(board), [board]);
  return (
    <DataTable
      name={title}
      columns={COLUMNS}
      rows={rows}
      rowKey={keyOf}
      csv={false}
      empty="No path is expected."
    />
  );
}
