import Typography from "@mui/material/Typography";
import { DataGrid, type GridColDef, type GridPaginationModel } from "@mui/x-data-grid";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { formatMoment } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useNow } from "../parts/useNow";
import { StateChip } from "./StateChip";

type LotRow = Schemas["LotSummary"];

const COLUMNS: GridColDef<LotRow>[] = [
  {
    field: "id",
    headerName: "Lot",
    width: 80,
    renderCell: ({ row }) => <Link to={`/lots/${String(row.id)}`}>Lot {row.id}</Link>,
  },
  { field: "title", headerName: "What", flex: 1, minWidth: 200, sortable: false },
  {
    field: "state",
    headerName: "State",
    width: 110,
    sortable: false,
    renderCell: ({ row }) => <StateChip state={row.state} />,
  },
  {
    field: "steps",
    headerName: "Steps",
    width: 110,
    sortable: false,
    valueGetter: (_value, row) => `${String(row.steps_done)} of ${String(row.steps)}`,
  },
  { field: "created_by", headerName: "By", width: 130, sortable: false },
  {
    field: "started_at",
    headerName: "Started",
    width: 130,
    renderCell: ({ row }) => <Moment at={row.started_at} />,
  },
  {
    field: "ended_at",
    headerName: "Ended",
    width: 130,
    renderCell: ({ row }) => <Moment at={row.ended_at} />,
  },
];

function Moment({ at }: { at: string | null }) {
  const now = useNow(10_000);
  return <span>{at ? formatMoment(at, now) : "–"}</span>;
}

/** All lots, newest first, paged by the server. */
export function LotsPage() {
  const [paging, setPaging] = useState<GridPaginationModel>({ page: 0, pageSize: 25 });
  const [ordering, setOrdering] = useState("-id");
  const lots = useQuery({
    queryKey: ["lots", paging, ordering],
    queryFn: () =>
      unwrap(
        api.GET("/api/lots/", {
          params: { query: { page: paging.page + 1, page_size: paging.pageSize, ordering } },
        }),
      ),
    placeholderData: keepPreviousData,
    refetchInterval: 3000,
  });
  return (
    <>
      <Typography variant="h1" sx={{ mb: 1.5 }}>
        Lots
      </Typography>
      <ProblemAlert error={lots.error} />
      {lots.data?.count === 0 ? (
        <Typography>
          No lot yet. Draft one from a finding under <Link to="/">Rounds</Link>, or under{" "}
          <Link to="/attach">Attach</Link>.
        </Typography>
      ) : (
        <DataGrid
          rows={lots.data?.results ?? []}
          columns={COLUMNS}
          rowCount={lots.data?.count ?? 0}
          loading={lots.isPending}
          paginationMode="server"
          sortingMode="server"
          paginationModel={paging}
          onPaginationModelChange={setPaging}
          onSortModelChange={([first]) => {
            setOrdering(first ? `${first.sort === "desc" ? "-" : ""}${first.field}` : "-id");
          }}
          pageSizeOptions={[25, 50, 100]}
          density="compact"
          disableRowSelectionOnClick
          disableColumnMenu
          aria-label="Lots"
          sx={{ background: "var(--card)", maxHeight: "calc(100vh - 130px)" }}
        />
      )}
    </>
  );
}
