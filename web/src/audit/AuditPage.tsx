import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { DataGrid, type GridColDef, type GridPaginationModel } from "@mui/x-data-grid";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { countOf, formatMoment } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useJob } from "../jobs/useJob";
import { useNow } from "../parts/useNow";

type Entry = Schemas["Entry"];

const told = (value: unknown): string =>
  value === null || value === undefined || value === ""
    ? "none"
    : typeof value === "string"
      ? value
      : JSON.stringify(value);

const fieldsOf = (value: unknown): Record<string, unknown> =>
  typeof value === "object" && value !== null ? { ...value } : value === null ? {} : { value };

/** Each field that is another one after than before, in one line; all that were given where nothing was before. */
export function changeOf({ before, after }: Pick<Entry, "before" | "after">): string {
  const [was, is] = [fieldsOf(before), fieldsOf(after)];
  const names = [...new Set([...Object.keys(was), ...Object.keys(is)])];
  return names
    .filter((name) => told(was[name]) !== told(is[name]))
    .map((name) => `${name}: ${before === null ? "" : `${told(was[name])} → `}${told(is[name])}`)
    .join("; ");
}

const COLUMNS: GridColDef<Entry>[] = [
  {
    field: "at",
    headerName: "When",
    width: 110,
    sortable: false,
    renderCell: ({ row }) => <Moment at={row.at} />,
  },
  {
    field: "who",
    headerName: "Who",
    width: 190,
    sortable: false,
    valueGetter: (_value, row) => (row.role ? `${row.who}, ${row.role}` : row.who),
  },
  { field: "address", headerName: "From", width: 90, sortable: false },
  { field: "what", headerName: "What", width: 150, sortable: false },
  { field: "subject", headerName: "Of", width: 130, sortable: false },
  {
    field: "after",
    headerName: "Changed",
    flex: 1,
    minWidth: 200,
    sortable: false,
    valueGetter: (_value, row) => changeOf(row),
    renderCell: ({ row }) => <span title={changeOf(row)}>{changeOf(row)}</span>,
  },
];

function Moment({ at }: { at: string }) {
  const now = useNow(10_000);
  return <span title={at}>{formatMoment(at, now)}</span>;
}

/** Who changed what, from where and when; nothing here can be changed. */
export function AuditPage() {
  const [paging, setPaging] = useState<GridPaginationModel>({ page: 0, pageSize: 50 });
  const [text, setText] = useState("");
  const entries = useQuery({
    queryKey: ["audit", paging, text],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/audit/", {
          params: { query: { page: paging.page + 1, page_size: paging.pageSize, text } },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
  return (
    <>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap", mb: 1.5 }}>
        <Typography variant="h1">Audit trail</Typography>
        <TextField
          size="small"
          fullWidth={false}
          sx={{ width: 240 }}
          label="Who, what or of what"
          value={text}
          onChange={(event) => {
            setText(event.target.value);
            setPaging({ ...paging, page: 0 });
          }}
        />
        <Proof />
        <Box sx={{ flex: 1 }} />
        <Button component="a" href="/api/audit/export/?written_as=csv" variant="outlined">
          CSV
        </Button>
        <Button component="a" href="/api/audit/export/?written_as=jsonl" variant="outlined">
          JSON Lines
        </Button>
      </Box>
      <ProblemAlert error={entries.error} />
      <DataGrid
        rows={entries.data?.results ?? []}
        columns={COLUMNS}
        rowCount={entries.data?.count ?? 0}
        loading={entries.isPending}
        paginationMode="server"
        paginationModel={paging}
        onPaginationModelChange={setPaging}
        pageSizeOptions={[25, 50, 100]}
        density="compact"
        disableRowSelectionOnClick
        disableColumnMenu
        aria-label="Audit trail"
        localeText={{ noRowsLabel: "Nobody has changed anything yet." }}
        sx={{ background: "var(--card)", maxHeight: "calc(100vh - 130px)" }}
      />
    </>
  );
}

/** Whether every entry is as it was written: computed anew by a job when asked for. */
function Proof() {
  const [found, setFound] = useState<{ entries: number; broken_at: number | null } | null>(null);
  const proof = useJob({
    ask: () => unwrap(api.POST("/api/audit/proof/")),
    look: (job) => Promise.resolve(job.result as Schemas["Proof"]),
    onSuccess: setFound,
  });
  if (found)
    return found.broken_at === null ? (
      <Typography role="status">
        ■ whole: {countOf(found.entries, "entry is as it was", "entries are as they were")} written, and none
        is missing
      </Typography>
    ) : (
      <Typography role="status" sx={{ color: "var(--buoyText)" }}>
        ▲ {found.broken_at ? `entry ${String(found.broken_at)} was changed` : "the last entries are missing"}
      </Typography>
    );
  return (
    <>
      <ProblemAlert error={proof.error} />
      <Button
        variant="text"
        disabled={proof.isPending}
        onClick={() => {
          proof.start();
        }}
      >
        {proof.isPending ? proof.progress || "Proving…" : "Prove that it is whole"}
      </Button>
    </>
  );
}
