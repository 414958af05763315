import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useMemo, useState } from "react";
import { Link } from "react-router";
import { queryOptions } from "../api/client";
import { Choice } from "../lots/drafts/fields";
import { useDraft } from "../lots/useDraft";
import { formatHour, formatMs } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useServerRows } from "../parts/table/useServerRows";
import { useTableUrl } from "../parts/table/useTableUrl";
import { useUnit } from "../parts/unit";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { ManyActs } from "./ManyActs";
import { PolicyState } from "./PolicyState";
import { askedOf, type Filters, FILTERS, machinesQuery, type MachineRow, orderingOf } from "./queries";
import { SavedViews } from "./SavedViews";

const columnsOf = (size: (bytes: number) => string): Column<MachineRow>[] => {
  const bytes = (key: "provisioned_bytes" | "written_bytes", head: string): Column<MachineRow> => ({
    key,
    head,
    width: 94,
    figures: true,
    value: (row) => row[key],
    cell: (row) => (row[key] === null ? "–" : size(row[key])),
  });
  return [
    {
      key: "name",
      head: "Machine",
      width: 140,
      sticky: true,
      value: (row) => row.name,
      cell: (row) => <Link to={`/machines/${String(row.id)}`}>{row.name}</Link>,
    },
    { key: "power", head: "Power", width: 60, value: (row) => row.power },
    {
      key: "host",
      head: "Host",
      width: 84,
      value: (row) => row.host,
      cell: (row) => <Link to={`/trace/host/${String(row.host_id)}`}>{row.host}</Link>,
    },
    { key: "cluster", head: "Cluster", width: 84, value: (row) => row.cluster },
    { key: "disks", head: "Disks", width: 56, figures: true, value: (row) => row.disks },
    bytes("provisioned_bytes", "Provisioned"),
    bytes("written_bytes", "Written"),
    {
      key: "state",
      head: "Policy state",
      width: 132,
      value: (row) => row.state || "no policy",
      cell: (row) => <PolicyState state={row.state} count={row.out} />,
    },
    { key: "policies", head: "Policies", width: 104, value: (row) => row.policies },
    {
      key: "peak_iops",
      head: "IOPS at peak",
      width: 100,
      figures: true,
      value: (row) => row.peak_iops,
      cell: (row) => (
        <span
          title={
            row.peak_hour === null ? "" : `its busiest hour of a weekday is ${formatHour(row.peak_hour)} UTC`
          }
        >
          {row.peak_iops === null ? "–" : Math.round(row.peak_iops).toLocaleString("en-GB")}
        </span>
      ),
    },
    {
      key: "latency_ms",
      head: "Latency",
      width: 78,
      figures: true,
      value: (row) => row.latency_ms,
      cell: (row) => (
        <span title="of the slowest pool beneath it, at that pool's slowest hour">
          {row.latency_ms === null ? "–" : formatMs(row.latency_ms)}
        </span>
      ),
    },
    { key: "labels", head: "Labels", width: 130, mono: true, value: (row) => row.labels },
  ];
};
const keyOf = (row: MachineRow) => String(row.id);
const POWER = [
  ["", "any"],
  ["On", "on"],
  ["Off", "off"],
] as const;
const STATE = [
  ["", "any"],
  ["out of policy", "out of policy"],
  ["in policy", "in policy"],
  ["not judged", "not judged"],
  ["no policy", "no policy"],
] as const;

/** All machines: found, sorted, and many of them changed at once. */
export function MachinesPage() {
  const { data: session } = useSession();
  const { size } = useUnit();
  const draft = useDraft();
  const url = useTableUrl(FILTERS);
  const typed: Filters = url.filters;
  const text = useDeferredValue(typed.text);
  const label = useDeferredValue(typed.label);
  const datastore = useDeferredValue(typed.datastore);
  const asked: Filters = { ...typed, text, label, datastore };
  const ordering = orderingOf(url.sorting);
  const rows = useServerRows<MachineRow>((page) => machinesQuery(page, ordering, asked), url.at);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const columns = useMemo(() => columnsOf(size), [size]);
  const csv = new URLSearchParams({ ...askedOf(asked), ...(ordering ? { ordering } : {}) }).toString();
  return (
    <Page
      title="Machines"
      stage="machines"
      actions={
        <>
          <ProblemAlert error={draft.error} />
          <Button component="a" href={`/api/machines/csv/?${csv}`}>
            CSV of all
          </Button>
          {session?.may_change && (
            <Button
              variant="outlined"
              disabled={draft.isPending}
              onClick={() => {
                draft.mutate({ kind: "new_machine", form: typed.cluster ? { cluster: typed.cluster } : {} });
              }}
            >
              New machine
            </Button>
          )}
        </>
      }
    >
      <MachineFilters filters={typed} filter={url.filter} />
      <SavedViews page="machines" />
      {chosen.size > 0 && session?.may_change && (
        <ManyActs
          machines={[...chosen].map(Number)}
          onDone={() => {
            setChosen(new Set());
          }}
        />
      )}
      <DataTable
        name="Machines"
        columns={columns}
        server={rows}
        url={url}
        rowKey={keyOf}
        csv={false}
        {...(session?.may_change ? { selected: chosen, onSelect: setChosen } : {})}
        empty={
          Object.keys(askedOf(asked)).length
            ? "No machine is like that; change the filters."
            : "No host runs a machine yet. Link a host first."
        }
      />
    </Page>
  );
}

interface FilterProps {
  filters: Filters;
  filter: (name: (typeof FILTERS)[number], value: string) => void;
}

/** What of the machines is listed. */
function MachineFilters({ filters, filter }: FilterProps) {
  const { data: groups } = useQuery(queryOptions("get", "/api/machines/clusters/"));
  const text = (name: "text" | "label" | "datastore", head: string, width: number) => (
    <TextField
      label={head}
      value={filters[name]}
      fullWidth={false}
      sx={{ width }}
      onChange={(event) => {
        filter(name, event.target.value);
      }}
    />
  );
  const pick = (
    name: "cluster" | "power" | "state",
    head: string,
    width: number,
    options: readonly (readonly [string, string])[],
  ) => (
    <Box sx={{ width }}>
      <Choice
        label={head}
        value={(options.find(([value]) => value === filters[name]) ?? options[0])?.[0] ?? ""}
        fixed={false}
        options={options}
        choose={(value) => {
          filter(name, value);
        }}
      />
    </Box>
  );
  return (
    <Box sx={{ display: "flex", gap: 1.5, mb: 1, flexWrap: "wrap" }}>
      {text("text", "Name or address", 170)}
      {pick("cluster", "Cluster", 130, [["", "any"], ...(groups ?? []).map((name) => [name, name] as const)])}
      {pick("power", "Power", 90, POWER)}
      {pick("state", "Policy state", 140, STATE)}
      {text("label", "Label, key=value", 150)}
      {text("datastore", "Datastore", 130)}
    </Box>
  );
}
