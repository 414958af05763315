import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, queryOptions, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { AskedButton } from "../parts/AskedButton";
import { Moment } from "../parts/Moment";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { FormCard } from "./FormCard";
import { useChange } from "../parts/useChange";

type Network = Schemas["NetworkAnswer"];

const keyOf = (network: Network) => String(network.id);

/** Where devices may be, when room is told of, and for how long what was is kept: for administrators. */
export function SettingsPage() {
  const { data: session } = useSession();
  const administers = session?.administers ?? false;
  const networks = useQuery({ ...queryOptions("get", "/api/networks/"), enabled: administers });
  const retention = useQuery({ ...queryOptions("get", "/api/retention/"), enabled: administers });
  const watch = useQuery({ ...queryOptions("get", "/api/capacity/watch/"), enabled: administers });
  if (!administers) return <Page title="Settings">This is for administrators.</Page>;
  return (
    <Page
      title="Settings"
      error={networks.error ?? retention.error ?? watch.error}
      loading={!networks.data || !retention.data || !watch.data}
    >
      <DataTable
        name="Allowed networks"
        title="Where devices may be"
        note={
          networks.data?.length
            ? "Nowhere but in these."
            : "Anywhere but at this machine itself and on its own link, as no network is named."
        }
        columns={COLUMNS}
        rows={networks.data ?? []}
        rowKey={keyOf}
        tall
        empty="No network is named."
      />
      <Allow />
      {watch.data && <Watching watch={watch.data} />}
      {retention.data && <Keeping retention={retention.data} />}
    </Page>
  );
}

function Allow() {
  const [fields, setFields] = useState({ cidr: "", note: "" });
  const allow = useChange(
    () => unwrap(api.POST("/api/networks/", { body: fields })),
    () => {
      setFields({ cidr: "", note: "" });
    },
  );
  const field = (name: "cidr" | "note", label: string) => (
    <TextField
      fullWidth={false}
      sx={{ width: 230 }}
      label={label}
      autoComplete="off"
      value={fields[name]}
      onChange={(event) => {
        setFields({ ...fields, [name]: event.target.value });
      }}
    />
  );
  return (
    <FormCard
      title="Allow a network"
      act="Allow it"
      onAct={() => {
        allow.mutate();
      }}
      disabled={allow.isPending || !fields.cidr}
      error={allow.error}
    >
      {field("cidr", "Network, as 10.40.0.0/16")}
      {field("note", "What is there")}
    </FormCard>
  );
}

const COLUMNS: readonly Column<Network>[] = [
  { key: "cidr", head: "Network", value: (row) => row.cidr, mono: true, width: 200, sticky: true },
  { key: "note", head: "What is there", value: (row) => row.note },
  { key: "added_by", head: "By", value: (row) => row.added_by, width: 150 },
  {
    key: "added_at",
    head: "Since",
    value: (row) => row.added_at,
    cell: (row) => <Moment at={row.added_at} />,
    width: 120,
  },
  {
    key: "end",
    head: "",
    value: () => "",
    cell: (row) => <Forbid row={row} />,
    screenOnly: true,
    width: 180,
  },
];

function Forbid({ row }: { row: Network }) {
  return (
    <AskedButton
      label="Take out"
      subject={row.cidr}
      act="Take it out"
      change={() => unwrap(api.DELETE("/api/networks/{id}/", { params: { path: { id: row.id } } }))}
    >
      Devices that are linked there stay linked; no more are.
    </AskedButton>
  );
}

const WATCHED = {
  runway_days: "Days of runway below which it is told of",
  promised_percent: "Percent of its size above which a pool is told of",
} as const;

function Watching({ watch }: { watch: Schemas["RoomWatch"] }) {
  return (
    <Numbers
      title="When room is told of"
      act="Tell of it from then on"
      note="Findings are judged anew at once. The runway counts at the earliest that is 80 % sure; promised is what all volumes of a pool may grow to."
      labels={WATCHED}
      values={watch}
      store={(body) => unwrap(api.PUT("/api/capacity/watch/", { body }))}
    />
  );
}

const TIMES = {
  gone_days: "Days that what no device lists any more is kept",
  figures_days: "Days that daily figures are kept",
  trail_days: "Days that the audit trail is kept; 0 is for ever",
} as const;

function Keeping({ retention }: { retention: Schemas["Retention"] }) {
  return (
    <Numbers
      title="How long things are kept"
      act="Keep them so long"
      note="What is older goes within six hours, with its history and labels. What is cut off the audit trail is said in it."
      labels={TIMES}
      values={retention}
      store={(body) => unwrap(api.PUT("/api/retention/", { body }))}
    />
  );
}

interface NumbersProps<Name extends string> {
  title: string;
  act: string;
  note: string;
  labels: Readonly<Record<Name, string>>;
  values: Readonly<Record<Name, number>>;
  store: (values: Record<Name, number>) => Promise<unknown>;
}

/** Whole numbers that administrators set, stored together. */
function Numbers<Name extends string>({ title, act, note, labels, values, store }: NumbersProps<Name>) {
  const [typed, setTyped] = useState<Partial<Record<Name, string>>>({});
  const names = Object.keys(labels) as Name[];
  const field = (name: Name) => typed[name] ?? String(values[name]);
  const change = useChange(
    () => store(Object.fromEntries(names.map((name) => [name, Number(field(name))])) as Record<Name, number>),
    () => {
      setTyped({});
    },
  );
  return (
    <FormCard
      title={title}
      act={act}
      onAct={() => {
        change.mutate();
      }}
      disabled={change.isPending || Object.keys(typed).length === 0}
      error={change.error}
      note={note}
    >
      {names.map((name) => (
        <TextField
          key={name}
          fullWidth={false}
          sx={{ width: 340 }}
          label={labels[name]}
          value={field(name)}
          onChange={(event) => {
            setTyped({ ...typed, [name]: event.target.value });
          }}
        />
      ))}
    </FormCard>
  );
}
