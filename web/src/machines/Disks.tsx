import { useMemo } from "react";
import { Link } from "react-router";
import { api, unwrap } from "../api/client";
import { countOf } from "../parts/format";
import { Moment } from "../parts/Moment";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useUnit } from "../parts/unit";
import { useChange } from "../parts/useChange";
import { useSession } from "../shell/useSession";
import { PolicySelect } from "./PolicySelect";
import { PolicyState } from "./PolicyState";
import type { Machine, MachineDisk } from "./queries";

const keyOf = (disk: MachineDisk) => String(disk.id);

/** The disks of a machine, each with the policy that it has, why, and how it stands to it: changed row by row. */
export function Disks({ machine }: { machine: Machine }) {
  const { size } = useUnit();
  const { data: session } = useSession();
  const give = useChange((given: { disk: number; policy: number | null }) =>
    unwrap(api.POST("/api/policies/given/", { body: { policy: given.policy, disks: [given.disk] } })),
  );
  const { mutate, isPending } = give;
  const fixed = !session?.may_change || isPending;
  const columns = useMemo<Column<MachineDisk>[]>(
    () => [
      {
        key: "name",
        head: "Disk",
        sticky: true,
        value: (disk) => disk.name,
        cell: (disk) => <Link to={`/trace/disk/${String(disk.id)}`}>{disk.name}</Link>,
      },
      {
        key: "size_bytes",
        head: "Size",
        figures: true,
        value: (disk) => disk.size_bytes,
        cell: (disk) => size(disk.size_bytes),
      },
      {
        key: "written_bytes",
        head: "Written",
        figures: true,
        value: (disk) => disk.written_bytes,
        cell: (disk) =>
          disk.written_bytes === null ? "–" : `${size(disk.written_bytes)}${disk.thin ? ", thin" : ""}`,
      },
      {
        key: "datastore",
        head: "Place",
        value: (disk) => disk.datastore || "raw volume",
        cell: (disk) =>
          disk.datastore_id === null ? (
            "raw volume"
          ) : (
            <Link to={`/trace/datastore/${String(disk.datastore_id)}`}>{disk.datastore}</Link>
          ),
      },
      {
        key: "given",
        head: "Policy of its own",
        value: (disk) => disk.given,
        screenOnly: true,
        cell: (disk) => (
          <PolicySelect
            label={`Policy of ${disk.name} alone`}
            named={false}
            none="as the machine"
            value={disk.given}
            disabled={fixed}
            choose={(policy) => {
              mutate({ disk: disk.id, policy });
            }}
          />
        ),
      },
      {
        key: "policy",
        head: "Policy it has",
        value: (disk) => disk.policy,
        cell: (disk) => (
          <>
            {disk.policy || "none"}
            {disk.because && <div style={{ color: "var(--mute)", fontSize: 12 }}>{disk.because}</div>}
          </>
        ),
      },
      {
        key: "state",
        head: "How it stands",
        value: (disk) => disk.state,
        cell: (disk) => <Stands disk={disk} />,
      },
      {
        key: "peak_iops",
        head: "IOPS at peak",
        figures: true,
        value: (disk) => disk.peak_iops,
        cell: (disk) => Math.round(disk.peak_iops).toLocaleString("en-GB"),
      },
      {
        key: "cap_iops",
        head: "Limits",
        value: (disk) => disk.cap_iops,
        cell: (disk) => <Limits disk={disk} />,
      },
    ],
    [size, fixed, mutate],
  );
  return (
    <>
      <ProblemAlert error={give.error} />
      <DataTable
        name="Disks"
        title="Disks"
        columns={columns}
        rows={machine.disks}
        rowKey={keyOf}
        empty="It has no disk."
        tall
      />
    </>
  );
}

/** The state with its reason and since when; and how it was before. */
function Stands({ disk }: { disk: MachineDisk }) {
  return (
    <>
      <PolicyState state={disk.state} />
      {disk.since && (
        <div style={{ color: "var(--mute)", fontSize: 12 }}>
          {disk.reason && `${disk.reason} · `}
          <Moment at={disk.since} />
        </div>
      )}
      {disk.past.length > 0 && (
        <details style={{ fontSize: 12 }}>
          <summary>{countOf(disk.past.length, "time before", "times before")}</summary>
          {disk.past.map((past) => (
            <div key={`${past.policy} ${past.since}`}>
              {past.state} of {past.policy} until <Moment at={past.until} />
              {past.reason && `: ${past.reason}`}
            </div>
          ))}
        </details>
      )}
    </>
  );
}

/** Its cap and floor, and who keeps it to them. */
function Limits({ disk }: { disk: MachineDisk }) {
  if (disk.cap_iops === null) return <span style={{ color: "var(--mute)" }}>not told</span>;
  const said = [
    disk.cap_iops ? `at most ${disk.cap_iops.toLocaleString("en-GB")}` : "",
    disk.floor_iops ? `at least ${disk.floor_iops.toLocaleString("en-GB")}` : "",
  ].filter(Boolean);
  if (said.length === 0) return <>none</>;
  return (
    <>
      {said.join(", ")}
      <div style={{ color: "var(--mute)", fontSize: 12 }}>by its {disk.limited_by}</div>
    </>
  );
}
