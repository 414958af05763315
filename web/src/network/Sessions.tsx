import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Schemas } from "../api/problem";
import { Choice, Tick } from "../lots/drafts/fields";
import { useDraft } from "../lots/useDraft";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useSession } from "../shell/useSession";

type Row = Schemas["SessionRow"];

interface SessionsProps {
  cluster: string;
  array: string;
  rows: readonly Row[];
}

const METHODS = [
  ["off", "off"],
  ["one-way", "one-way: the array asks the host"],
  ["mutual", "mutual: both ask one another"],
] as const;
type Method = (typeof METHODS)[number][0];

/** What to say of a row's CHAP, as a shape and words. */
const chapState = (row: Row): string => {
  if (row.on_host !== row.on_array) return `▲ array asks ${row.on_array}, host gives ${row.on_host}`;
  return row.on_array === "off" ? "◇ off" : `■ ${row.on_array}`;
};

const COLUMNS: readonly Column<Row>[] = [
  { key: "host", head: "Host", value: (row) => row.host, width: 140, sticky: true },
  { key: "target", head: "Target", value: (row) => row.target, mono: true },
  {
    key: "sessions",
    head: "Sessions",
    value: (row) => row.sessions,
    cell: (row) => (
      <>
        {row.sessions < row.possible ? "□" : "■"} <span className="mono">{row.sessions}</span> of{" "}
        <span className="mono">{Math.max(row.possible, row.sessions)}</span> possible
      </>
    ),
    width: 160,
  },
  {
    key: "chap",
    head: "CHAP",
    value: chapState,
    cell: (row) => (
      <span style={row.on_host === row.on_array ? {} : { color: "var(--buoyText)" }}>{chapState(row)}</span>
    ),
    width: 260,
  },
];
const keyOf = (row: Row) => row.host;

/** iSCSI sessions of a cluster's hosts with an array, and the CHAP of both sides, set by one lot. */
export function Sessions({ cluster, array, rows }: SessionsProps) {
  const [method, setMethod] = useState<Method>("mutual");
  const [renew, setRenew] = useState(false);
  const { data: session } = useSession();
  const draft = useDraft();
  if (rows.length === 0) return null;
  return (
    <>
      <ProblemAlert error={draft.error} />
      <DataTable
        name="iSCSI sessions and CHAP"
        title="iSCSI sessions and CHAP"
        note="A lot makes the secrets, tells both sides, and logs in again. Nobody has to type or know them."
        columns={COLUMNS}
        rows={rows}
        rowKey={keyOf}
        empty="No host logs in over iSCSI."
      />
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mb: 2, flexWrap: "wrap" }}>
        <Box sx={{ width: 250 }}>
          <Choice label="CHAP" value={method} fixed={false} options={METHODS} choose={setMethod} />
        </Box>
        <Tick
          label="new secrets where it is set already"
          checked={renew}
          fixed={method === "off"}
          set={setRenew}
        />
        <Button
          variant="outlined"
          disabled={!session?.may_change || draft.isPending}
          onClick={() => {
            draft.mutate({
              kind: "chap",
              form: { cluster, array, method, renew: renew && method !== "off" },
            });
          }}
        >
          Draft lot
        </Button>
      </Box>
    </>
  );
}
