import Button from "@mui/material/Button";
import { Fragment, useMemo } from "react";
import type { Schemas } from "../api/problem";
import { useDraft } from "../lots/useDraft";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useSession } from "../shell/useSession";

type Row = Schemas["StorageInterface"];

interface InterfacesProps {
  cluster: string;
  array: string;
  rows: readonly Row[];
  moreHosts: number;
}

/** Names side by side; a line breaks between them, not within one. */
function Names({ names }: { names: readonly string[] }) {
  if (names.length === 0) return "–";
  return names.map((name, n) => (
    <Fragment key={name}>
      <span style={{ whiteSpace: "nowrap" }}>
        {name}
        {n < names.length - 1 && ","}
      </span>{" "}
    </Fragment>
  ));
}

const names = (key: "active" | "standby" | "unused", head: string): Column<Row> => ({
  key,
  head,
  value: (row) => row[key].join(" "),
  cell: (row) => <Names names={row[key]} />,
});

/** The hosts' storage interfaces with their uplinks, and the lot that settles what keeps one from the array. */
export function Interfaces({ cluster, array, rows, moreHosts }: InterfacesProps) {
  const draft = useDraft();
  const { data: session } = useSession();
  const blocked = !session?.may_change || draft.isPending;
  const { mutate } = draft;
  const columns = useMemo((): Column<Row>[] => {
    return [
      { key: "host", head: "Host", value: (row) => row.host, sticky: true, width: 110 },
      { key: "interface", head: "Interface", value: (row) => row.name, width: 110 },
      {
        key: "state",
        head: "State",
        value: (row) => row.reason || "in order",
        cell: (row) => (
          <span style={row.reason ? { color: "var(--buoyText)" } : {}}>
            {row.reason ? `▲ ${row.reason}` : "■ in order"}
            {row.fix && (
              <Button
                variant="outlined"
                sx={{ display: "block", mt: 0.5 }}
                disabled={blocked}
                aria-label={`${row.fix.action}: ${row.name} on ${row.host}`}
                onClick={() => {
                  if (row.fix) mutate({ kind: row.fix.kind, form: row.fix.form });
                }}
              >
                {row.fix.action}
              </Button>
            )}
          </span>
        ),
      },
      { key: "address", head: "Address", value: (row) => row.address || "none", mono: true, width: 150 },
      { key: "vlan", head: "VLAN", value: (row) => row.vlan, mono: true, width: 70 },
      { key: "frame_bytes", head: "Frames", value: (row) => row.frame_bytes, mono: true, width: 80 },
      names("active", "Active"),
      names("standby", "Standby"),
      names("unused", "Unused"),
    ];
  }, [blocked, mutate]);
  if (rows.length === 0) return null;
  return (
    <>
      <ProblemAlert error={draft.error} />
      <DataTable
        name={`Storage interfaces of ${cluster} for ${array}`}
        title="Storage interfaces"
        note={
          moreHosts > 0
            ? `and those of ${String(moreHosts)} more hosts; those with trouble are listed first`
            : ""
        }
        columns={columns}
        rows={rows}
        rowKey={keyOf}
        tall
        empty="No host has a storage interface."
      />
    </>
  );
}

const keyOf = (row: Row) => `${row.host} ${row.name}`;
