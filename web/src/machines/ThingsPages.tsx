import TextField from "@mui/material/TextField";
import { useDeferredValue, useMemo } from "react";
import { Link } from "react-router";
import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";
import { formatShare } from "../parts/format";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { PAGE, useServerRows } from "../parts/table/useServerRows";
import { type TableUrl, useTableUrl } from "../parts/table/useTableUrl";
import { useUnit } from "../parts/unit";
import { Page } from "../shell/Page";
import { orderingOf } from "./queries";

type Host = Schemas["HostRow"];
type Datastore = Schemas["DatastoreRow"];
type Volume = Schemas["VolumeRow"];

/** Keys of a row whose values are of a type. */
type Of<Row, Type> = { [Key in keyof Row]: Row[Key] extends Type ? Key : never }[keyof Row] & string;

/** A column of figures: as many as it says. */
const count = <Row,>(key: Of<Row, number>, head: string, width = 90): Column<Row> => ({
  key,
  head,
  width,
  figures: true,
  value: (row) => row[key] as number,
});

/** A column of sizes in the reader's unit. */
const sizes =
  (size: (bytes: number) => string) =>
  <Row,>(key: Of<Row, number>, head: string, width = 104): Column<Row> => ({
    key,
    head,
    width,
    figures: true,
    value: (row) => row[key] as number,
    cell: (row) => (row[key] === 0 ? "–" : size(row[key] as number)),
  });

const words = <Row,>(key: Of<Row, string>, head: string, width?: number): Column<Row> => ({
  key,
  head,
  ...(width ? { width } : {}),
  value: (row) => row[key] as string,
});

const share = <Row,>(key: Of<Row, number | null>, head: string): Column<Row> => ({
  key,
  head,
  width: 84,
  figures: true,
  value: (row) => row[key] as number | null,
  cell: (row) => {
    const value = row[key] as number | null;
    return value === null ? "–" : formatShare(value);
  },
});

const traced = <Row extends { id: number; name: string }>(kind: string, head: string): Column<Row> => ({
  key: "name",
  head,
  width: 150,
  sticky: true,
  value: (row) => row.name,
  cell: (row) => <Link to={`/trace/${kind}/${String(row.id)}`}>{row.name}</Link>,
});

const FILTERS = ["text"] as const;
const keyOf = (row: { id: number }) => String(row.id);

function Search({ url }: { url: TableUrl<"text"> }) {
  return (
    <TextField
      label="Name"
      fullWidth={false}
      sx={{ width: 190, mb: 1 }}
      value={url.filters.text}
      onChange={(event) => {
        url.filter("text", event.target.value);
      }}
    />
  );
}

/** Hosts with what their machines ask of them. */
export function HostsPage() {
  const url = useTableUrl(FILTERS);
  const { size } = useUnit();
  const text = useDeferredValue(url.filters.text);
  const ordering = orderingOf(url.sorting);
  const rows = useServerRows<Host>(
    (page) =>
      queryOptions("get", "/api/machines/hosts/", {
        params: { query: { page, page_size: PAGE, ordering, text } },
      }),
    url.at,
  );
  const columns = useMemo<Column<Host>[]>(
    () => [
      traced("host", "Host"),
      words("cluster", "Cluster", 120),
      count("machines", "Machines"),
      count("running", "Running"),
      count("processors", "Processors given", 120),
      sizes(size)<Host>("memory_bytes", "Memory given", 112),
      sizes(size)<Host>("provisioned_bytes", "Provisioned"),
      {
        ...count<Host>("datastores", "Datastores mounted", 140),
        cell: (row) => row.datastores,
      },
    ],
    [size],
  );
  return (
    <Page title="Hosts" stage="machines">
      <Search url={url} />
      <DataTable
        name="Hosts"
        columns={columns}
        server={rows}
        url={url}
        rowKey={keyOf}
        empty="No host is so called."
      />
    </Page>
  );
}

/** Datastores with what they hold; sorted by fill, the fullest is first. */
export function DatastoresPage() {
  const url = useTableUrl(FILTERS, { key: "fill", descending: true });
  const { size } = useUnit();
  const text = useDeferredValue(url.filters.text);
  const ordering = orderingOf(url.sorting);
  const rows = useServerRows<Datastore>(
    (page) =>
      queryOptions("get", "/api/machines/datastores/", {
        params: { query: { page, page_size: PAGE, ordering, text } },
      }),
    url.at,
  );
  const columns = useMemo<Column<Datastore>[]>(
    () => [
      traced("datastore", "Datastore"),
      share("fill", "Filled"),
      sizes(size)<Datastore>("capacity_bytes", "Capacity"),
      sizes(size)<Datastore>("free_bytes", "Free"),
      {
        ...count<Datastore>("disks", "Disks", 74),
        cell: (row) => <Link to={`/machines?datastore=${encodeURIComponent(row.name)}`}>{row.disks}</Link>,
      },
      sizes(size)<Datastore>("disk_bytes", "In disks"),
      sizes(size)<Datastore>("snapshot_bytes", "In snapshots"),
      count("hosts", "Hosts", 70),
      words("pool", "Pool", 130),
      words("array", "Array", 100),
    ],
    [size],
  );
  return (
    <Page title="Datastores" stage="machines">
      <Search url={url} />
      <DataTable
        name="Datastores"
        columns={columns}
        server={rows}
        url={url}
        rowKey={keyOf}
        empty="No datastore is so called."
      />
    </Page>
  );
}

const BENEATH: Record<string, string> = { block: "volume", file: "file system", set: "volume set" };

/** Volumes, file systems and volume sets with what they hold of their pools. */
export function VolumesPage() {
  const url = useTableUrl(FILTERS, { key: "held", descending: true });
  const { size } = useUnit();
  const text = useDeferredValue(url.filters.text);
  const ordering = orderingOf(url.sorting);
  const rows = useServerRows<Volume>(
    (page) =>
      queryOptions("get", "/api/machines/volumes/", {
        params: { query: { page, page_size: PAGE, ordering, text } },
      }),
    url.at,
  );
  const columns = useMemo<Column<Volume>[]>(
    () => [
      traced("volume", "Volume"),
      {
        key: "kind",
        head: "Kind",
        width: 110,
        value: (row) => BENEATH[row.kind] ?? row.kind,
        cell: (row) => `${row.thin ? "thin " : ""}${BENEATH[row.kind] ?? row.kind}`,
      },
      share("held", "Written"),
      sizes(size)<Volume>("size_bytes", "Size"),
      sizes(size)<Volume>("allocated_bytes", "Held in pool", 112),
      {
        ...words<Volume>("datastore", "Datastore", 130),
        value: (row) => row.datastore || (row.raw ? "raw" : "none"),
      },
      words("pool", "Pool", 130),
      words("array", "Array", 100),
    ],
    [size],
  );
  return (
    <Page title="Volumes" stage="machines">
      <Search url={url} />
      <DataTable
        name="Volumes"
        columns={columns}
        server={rows}
        url={url}
        rowKey={keyOf}
        empty="No volume is so called."
      />
    </Page>
  );
}
