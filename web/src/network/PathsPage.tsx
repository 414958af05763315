import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";
import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";
import { Choice } from "../lots/drafts/fields";
import { countOf } from "../parts/format";
import { PathBoard } from "../parts/PathBoard";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { Page } from "../shell/Page";
import { Interfaces } from "./Interfaces";
import { Sessions } from "./Sessions";
import { ZoneChanges } from "./ZoneChanges";

type Paths = Schemas["PathsAnswer"];
type Point = Paths["points"][number];

/** Paths as last read: a cluster's hosts against an array's portals, and what they hang on alone. */
export function PathsPage() {
  const [search, setSearch] = useSearchParams();
  const query = Object.fromEntries(search);
  const paths = useQuery({
    ...queryOptions("get", "/api/network/paths/", { params: { query } }),
    placeholderData: keepPreviousData,
  });
  const { data } = paths;
  const choose = (name: "cluster" | "array" | "volume", value: string) => {
    const next = new URLSearchParams(search);
    // Another cluster or array has other volumes.
    next.delete("volume");
    if (value) next.set(name, value);
    setSearch(next);
  };
  return (
    <Page title="Paths" stage="attach" error={paths.error} loading={!data}>
      {data && (
        <>
          <Choices data={data} choose={choose} />
          <PathBoard board={data.board} title={`Paths of ${data.cluster} to ${data.array}`} />
          {data.more_hosts > 0 && (
            <Typography color="textSecondary" sx={{ mb: 1.5 }}>
              and {data.more_hosts} more hosts; those that miss paths are listed first
            </Typography>
          )}
          <ZoneChanges zones={data.zones} />
          <WeakPoints data={data} />
          <Interfaces
            cluster={data.cluster}
            array={data.array}
            rows={data.interfaces}
            moreHosts={data.more_interface_hosts}
          />
          <Sessions cluster={data.cluster} array={data.array} rows={data.sessions} />
        </>
      )}
    </Page>
  );
}

interface ChoicesProps {
  data: Paths;
  choose: (name: "cluster" | "array" | "volume", value: string) => void;
}

function Choices({ data, choose }: ChoicesProps) {
  const missing = data.board.expected - data.board.seen;
  const fields = [
    ["cluster", "Cluster", data.cluster, data.clusters.map((name) => [name, name] as const)],
    ["array", "Array", data.array, data.arrays.map((name) => [name, name] as const)],
    [
      "volume",
      "Volume",
      data.volume === null ? "all" : String(data.volume),
      [["all", "all volumes"] as const, ...data.volumes.map(({ id, name }) => [String(id), name] as const)],
    ],
  ] as const;
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mb: 1.5, flexWrap: "wrap" }}>
      {fields.map(([name, label, value, options]) => (
        <Box key={name} sx={{ width: 160 }}>
          <Choice
            label={label}
            value={value}
            fixed={false}
            options={options}
            choose={(chosen) => {
              choose(name, chosen === "all" ? "" : chosen);
            }}
          />
        </Box>
      ))}
      <Typography sx={{ color: missing ? "var(--buoyText)" : "var(--mute)" }} role="status">
        {missing
          ? `□ ${String(missing)} of ${countOf(data.board.expected, "path is", "paths are")} missing`
          : "■ every path is there"}
      </Typography>
    </Box>
  );
}

const NAMED = 6;
const named = (names: readonly string[]): string =>
  names.slice(0, NAMED).join(", ") +
  (names.length > NAMED ? ` and ${String(names.length - NAMED)} more` : "");

const COLUMNS: readonly Column<Point>[] = [
  {
    key: "component",
    head: "If this is lost",
    value: (point) => `${point.kind} ${point.component}`,
    cell: (point) => (
      <Link
        to={`/attach/loss?${new URLSearchParams({ kind: point.kind, name: point.component }).toString()}`}
      >
        {point.kind} {point.component}
      </Link>
    ),
  },
  {
    key: "hosts",
    head: "these hosts lose",
    value: (point) => point.hosts.join(" "),
    cell: (point) => named(point.hosts),
  },
  {
    key: "volumes",
    head: "these volumes",
    value: (point) => point.volumes.join(" "),
    cell: (point) => named(point.volumes),
  },
];
const keyOf = (point: Point) => `${point.kind} ${point.component}`;

function WeakPoints({ data }: { data: Paths }) {
  return (
    <DataTable
      name="Single points of failure"
      title="Single points of failure"
      columns={COLUMNS}
      rows={data.points}
      rowKey={keyOf}
      empty="■ No single port, uplink, switch, subnet, fabric, portal or controller can take a volume from a host."
    />
  );
}
