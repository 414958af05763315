import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";
import { useDraft } from "../lots/useDraft";
import { countOf } from "../parts/format";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";

type Limits = Schemas["FileLimits"];
type Setting = Limits["settings"][number];

/** A host's values, or what is recommended, in the order of the settings. */
interface Row {
  host: string;
  values: readonly (number | null)[];
  mounts: number | null;
  recommended: boolean;
}

const differing = (values: number, all: number) =>
  countOf(
    values,
    `of ${countOf(all, "value")} differs from what is recommended`,
    `of ${countOf(all, "value")} differ from what is recommended`,
  );

/** Timeouts and limits of every host's NFS client beside what arrays recommend; one lot sets what differs. */
export function FileLimitsPage() {
  const { data: session } = useSession();
  const draft = useDraft();
  const { data, error } = useQuery(queryOptions("get", "/api/attach/file-limits/"));
  const columns = useMemo(() => columnsOf(data?.settings ?? []), [data?.settings]);
  const rows = useMemo(() => (data ? rowsOf(data) : []), [data]);
  const told = data?.settings.length ?? 0;
  return (
    <Page
      title="NFS timeouts and limits"
      stage="attach"
      error={error ?? draft.error}
      loading={!data}
      note={
        data && (
          <Typography color="textSecondary" role="status">
            {told
              ? differing(data.differ.length, told * data.hosts.length)
              : "No linked array recommends any."}
          </Typography>
        )
      }
      actions={
        told > 0 && (
          <Button
            variant="contained"
            disabled={!data?.differ.length || !session?.may_change || draft.isPending}
            onClick={() => {
              draft.mutate({ kind: "file_limits", form: {} });
            }}
          >
            Draft lot: set them together
          </Button>
        )
      }
    >
      {told > 0 && (
        <DataTable
          name="NFS settings"
          title="Hosts"
          columns={columns}
          rows={rows}
          rowKey={keyOf}
          emphasis={emphasis}
          empty="No host is linked yet."
        />
      )}
    </Page>
  );
}

const keyOf = (row: Row) => row.host;
const emphasis = (row: Row) => (row.recommended ? ("recommended" as const) : undefined);

const rowsOf = (data: Limits): Row[] => [
  {
    host: "Recommended",
    values: data.settings.map((setting) => setting.wanted),
    mounts: null,
    recommended: true,
  },
  ...data.hosts.map(({ host, values, mounts }) => ({ host, values, mounts, recommended: false })),
];

const columnsOf = (settings: readonly Setting[]): Column<Row>[] => [
  { key: "host", head: "Host", value: (row) => row.host, sticky: true, sortable: false },
  ...settings.map((setting, n): Column<Row> => ({
    key: setting.name,
    head: `${setting.label}${setting.unit && `, ${setting.unit}`}`,
    value: (row) => row.values[n] ?? null,
    cell: (row) => <Value row={row} value={row.values[n] ?? null} setting={setting} />,
    figures: true,
    sortable: false,
  })),
  { key: "mounts", head: "Exports mounted", value: (row) => row.mounts, figures: true, sortable: false },
];

function Value({ row, value, setting }: { row: Row; value: number | null; setting: Setting }) {
  if (row.recommended)
    return (
      <>
        {value}
        <div style={{ color: "var(--mute)", fontSize: 11 }}>by {setting.array}</div>
      </>
    );
  const differs = value !== null && value !== setting.wanted;
  return (
    <span style={differs ? { color: "var(--buoyText)", fontWeight: 600 } : {}}>
      {differs && "▲ "}
      {value ?? "none"}
    </span>
  );
}
