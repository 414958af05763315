import TextField from "@mui/material/TextField";
import { useDeferredValue, useMemo } from "react";
import { Link } from "react-router";
import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";
import { formatShare } from "../parts/format";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { PAGE, type PageOptions, useServerRows } from "../parts/table/useServerRows";
import { type Sorting, useTableUrl } from "../parts/table/useTableUrl";
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

interface ThingsProps<Row> {
  title: string;
  /** One of them, for the sentence where none is found. */
  one: string;
  columns: Column<Row>[];
  /** The order without one in the address. */
  fallback?: Sorting;
  page: (asked: { page: number; page_size: number; ordering: string; text: string }) => PageOptions<Row>;
}

/** A list that is looked through by name. */
function Things<Row extends { id: number }>({ title, one, columns, fallback, page }: ThingsProps<Row>) {
  const url = useTableUrl(FILTERS, fallback);
  const text = useDeferredValue(url.filters.text);
  const ordering = orderingOf(url.sorting);
  const rows = useServerRows<Row>(
    (number) => page({ page: number, page_size: PAGE, ordering, text }),
    url.at,
  );
  return (
    <Page title={title} stage="machines">
      <TextField
        label="Name"
        fullWidth={false}
        sx={{ width: 190, mb: 1 }}
        value={url.filters.text}
        onChange={(event) => {
          url.filter("text", event.target.value);
        }}
      />
      <DataTable
        name={title}
        columns={columns}
        server={rows}
        url={url}
        rowKey={keyOf}
        empty={`No ${one} is so called.`}
      />
    </Page>
  );
}

/** Hosts with what their machines ask of them. */
export function HostsPage() {
  const { size } = useUnit();
  const columns = useMemo<Column<Host>[]>(
    () => [
      traced("host", "Host"),
      words("cluster", "Cluster", 120),
      count("machines", "Machines"),
      count("running", "Running"),
      count("processors", "Processors given", 120),
      sizes(size)<Host>("memory_bytes", "Memory given", 112),
      sizes(size)<Host>("provisioned_bytes", "Provisioned"),
      count("datastores", "Datastores mounted", 140),
    ],
    [size],
  );
  return (
    <Things
      title="Hosts"
      one="host"
      columns={columns}
      page={(query) => queryOptions("get", "/api/machines/hosts/", { params: { query } })}
    />
  );
}

const BY_FILL = { key: "fill", descending: true };

/** Datastores with what they hold; sorted by fill, the fullest is first. */
export function DatastoresPage() {
  const { size } = useUnit();
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
    <Things
      title="Datastores"
      one="datastore"
      columns={columns}
      fallback={BY_FILL}
      page={(query) => queryOptions("get", "/api/machines/datastores/", { params: { query } })}
    />
  );
}

const BENEATH: Record<string, string> = { block: "volume", file: "file system", set: "volume set" };
const BY_WRITTEN = { key: "held", descending: true };

/** Volumes, file systems and volume sets with what they hold of their pools. */
export function VolumesPage() {
  const { size } = useUnit();
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
    <Things
      title="Volumes"
      one="volume"
      columns={columns}
      fallback={BY_WRITTEN}
      page={(query) => queryOptions("get", "/api/machines/volumes/", { params: { query } })}
    />
  );
}
