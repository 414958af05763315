import Autocomplete from "@mui/material/Autocomplete";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";
import { countOf } from "../parts/format";
import { Mark } from "../parts/Mark";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { Page } from "../shell/Page";

type Component = Schemas["ComponentRow"];
type Loss = Schemas["LossAnswer"];
type Volume = Loss["volumes"][number];
type Machine = Loss["machines"][number];

/** What if a component is taken away: which volumes, hosts and machines stop, and which are left on one leg. */
export function LossPage() {
  const [search, setSearch] = useSearchParams();
  const kind = search.get("kind") ?? "";
  const name = search.get("name") ?? "";
  const loss = useQuery({
    ...queryOptions("get", "/api/network/loss/", { params: { query: { kind, name } } }),
    enabled: kind !== "",
    placeholderData: keepPreviousData,
  });
  return (
    <Page
      title="What if it is taken away"
      stage="attach"
      error={loss.error}
      loading={kind !== "" && !loss.data}
      actions={
        loss.data && (
          <>
            <Button
              component="a"
              href={`/api/network/loss/csv/?${new URLSearchParams({ kind, name }).toString()}`}
            >
              CSV
            </Button>
            <Button
              onClick={() => {
                window.print();
              }}
            >
              Print
            </Button>
          </>
        )
      }
    >
      <Choose
        chosen={kind ? { kind, name } : null}
        choose={(component) => {
          setSearch(component ? { kind: component.kind, name: component.name } : {});
        }}
      />
      {!kind && (
        <Typography color="textSecondary">
          Choose what the storage or network team will work on: an array, controller, portal, switch, subnet,
          pool, volume, host, port or uplink. Nothing is changed; it is computed from the paths as last read.
        </Typography>
      )}
      {loss.data && kind && <Answer loss={loss.data} />}
    </Page>
  );
}

interface ChooseProps {
  chosen: Component | null;
  choose: (component: Component | null) => void;
}

function Choose({ chosen, choose }: ChooseProps) {
  const [text, setText] = useState("");
  const wanted = useDeferredValue(text);
  const found = useQuery({
    ...queryOptions("get", "/api/network/components/", { params: { query: { q: wanted } } }),
    placeholderData: keepPreviousData,
  });
  const label = (component: Component) => `${component.kind} ${component.name}`;
  return (
    <Autocomplete
      sx={{ width: 320, mb: 1.5 }}
      size="small"
      options={found.data ?? []}
      value={chosen}
      getOptionLabel={label}
      isOptionEqualToValue={(a, b) => label(a) === label(b)}
      filterOptions={(options) => options}
      onChange={(_event, component) => {
        choose(component);
      }}
      onInputChange={(_event, value, reason) => {
        setText(reason === "input" ? value : "");
      }}
      renderInput={(params) => <TextField {...params} label="Component" placeholder="switch-1, granite A…" />}
    />
  );
}

const machines = (count: number) => countOf(count, "machine");

function Answer({ loss }: { loss: Loss }) {
  const { component, machines_stop: stop, machines_thinner: thinner } = loss;
  const total = stop + thinner;
  return (
    <>
      <Typography sx={{ mb: 1.5, fontSize: 15 }} role="status">
        Without {component.kind} <strong>{component.name}</strong>:{" "}
        {stop > 0 ? (
          <strong style={{ color: "var(--buoyText)" }}>
            ▲ {machines(stop)} with {countOf(loss.disks_stop, "disk")} stop
          </strong>
        ) : (
          "■ no machine stops"
        )}
        {thinner > 0 && `, ◪ ${machines(thinner)} left on one leg`}
        {total === 0 && ", and redundancy stays as it is"}.
      </Typography>
      {loss.volumes.length > 0 && (
        <DataTable
          name="Volumes"
          title="Volumes"
          columns={VOLUMES}
          rows={loss.volumes}
          rowKey={volumeKey}
          empty="None is touched."
        />
      )}
      {loss.machines.length > 0 && (
        <DataTable
          name="Machines"
          title="Machines"
          note={
            total > loss.machines.length
              ? `The first ${String(loss.machines.length)} of ${String(total)} are shown; the CSV above has all.`
              : ""
          }
          columns={MACHINES}
          rows={loss.machines}
          rowKey={machineKey}
          empty="None is touched."
        />
      )}
    </>
  );
}

const HOSTS_SHOWN = 6;

function hosts(names: readonly string[]): string {
  const more = names.length - HOSTS_SHOWN;
  return (names.slice(0, HOSTS_SHOWN).join(", ") || "–") + (more > 0 ? ` and ${String(more)} more` : "");
}

const volumeKey = (row: Volume) => String(row.id);
const machineKey = (row: Machine) => String(row.id);

const VOLUMES: readonly Column<Volume>[] = [
  {
    key: "datastore",
    head: "Datastore",
    value: (row) => row.datastore,
    cell: (row) => (
      <>
        <Mark kind={row.stops.length ? "over" : "part"} label={row.stops.length ? "stops" : "thinner"} />{" "}
        {row.datastore_id === null ? (
          "none"
        ) : (
          <Link to={`/trace/datastore/${String(row.datastore_id)}`}>{row.datastore}</Link>
        )}
      </>
    ),
  },
  {
    key: "volume",
    head: "Volume",
    value: (row) => row.name,
    cell: (row) => <Link to={`/trace/volume/${String(row.id)}`}>{row.name}</Link>,
  },
  { key: "pool", head: "Pool", value: (row) => `${row.array}, ${row.pool}` },
  { key: "stops", head: "Stops on", value: (row) => row.stops.join(" "), cell: (row) => hosts(row.stops) },
  {
    key: "thinner",
    head: "Left on one leg",
    value: (row) => row.thinner.join(" "),
    cell: (row) => hosts(row.thinner),
  },
];

const EFFECTS = { stops: "▲ stops", thinner: "◪ one leg left" } as const;

const MACHINES: readonly Column<Machine>[] = [
  {
    key: "machine",
    head: "Machine",
    value: (row) => row.name,
    cell: (row) => <Link to={`/trace/machine/${String(row.id)}`}>{row.name}</Link>,
    sticky: true,
  },
  {
    key: "effect",
    head: "Effect",
    value: (row) => row.effect,
    cell: (row) => (
      <span style={{ color: row.effect === "stops" ? "var(--buoyText)" : "inherit" }}>
        {EFFECTS[row.effect]}
      </span>
    ),
    width: 120,
  },
  { key: "host", head: "Host", value: (row) => row.host, width: 110 },
  { key: "os", head: "Operating system", value: (row) => row.os },
  { key: "address", head: "Address", value: (row) => row.address, mono: true, width: 120 },
  { key: "disks", head: "Disks", value: (row) => row.disks, figures: true, width: 70 },
  { key: "datastores", head: "On", value: (row) => row.datastores.join(", ") },
  { key: "labels", head: "Labels", value: (row) => row.labels.join(", ") },
];
