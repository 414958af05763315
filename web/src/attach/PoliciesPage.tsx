import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { DataGrid, type GridColDef } from "@mui/x-data-grid";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { useDraft } from "../lots/useDraft";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useSession } from "../shell/useSession";

type Row = Schemas["PolicyRow"];
interface Filter {
  cluster: string;
  array: string;
  text: string;
}

const columns = (wanted: string, label: (policy: string) => string): GridColDef<Row>[] => [
  { field: "host", headerName: "Host", width: 110 },
  { field: "datastore", headerName: "Datastore", flex: 1, minWidth: 110 },
  { field: "volume", headerName: "Volume", flex: 1, minWidth: 110 },
  { field: "array", headerName: "Array", width: 100 },
  { field: "paths", headerName: "Paths", width: 70, type: "number" },
  {
    field: "policy",
    headerName: "Path policy",
    width: 150,
    renderCell: ({ row }) => (
      <span>
        {label(row.policy)}
        {row.odd && (
          <span title="most hosts have another policy for this volume" style={{ color: "var(--buoyText)" }}>
            {" "}
            ▲ differs
          </span>
        )}
      </span>
    ),
  },
  {
    field: "after",
    headerName: "Would be",
    width: 140,
    sortable: false,
    valueGetter: (_value, row) => (!wanted ? "" : row.policy === wanted ? "as it is" : label(wanted)),
  },
];

/** Path policies of many devices on many hosts: filter, see the difference row by row, draft one lot. */
export function PoliciesPage() {
  const [filter, setFilter] = useState<Filter>({ cluster: "", array: "", text: "" });
  const [policy, setPolicy] = useState("");
  const asked = useDeferredValue(filter);
  const { data: session } = useSession();
  const draft = useDraft();
  const found = useQuery({
    queryKey: ["path policies", asked],
    queryFn: () => unwrap(api.GET("/api/attach/path-policies/", { params: { query: asked } })),
    placeholderData: keepPreviousData,
    refetchInterval: 20_000,
  });
  const data = found.data;
  const label = (name: string) => data?.policies.find((option) => option.name === name)?.label ?? name;
  const differ = policy && data ? data.rows.filter((row) => row.policy !== policy).length : 0;
  const pick = (name: "cluster" | "array", label: string, options: readonly string[]) => (
    <TextField
      select
      label={label}
      value={filter[name]}
      onChange={(event) => {
        setFilter({ ...filter, [name]: event.target.value });
      }}
      slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
      sx={{ width: 130 }}
    >
      <MenuItem value="">all</MenuItem>
      {options.map((option) => (
        <MenuItem key={option} value={option}>
          {option}
        </MenuItem>
      ))}
    </TextField>
  );
  return (
    <>
      <Typography variant="h1" sx={{ mb: 1.5 }}>
        Path policies
      </Typography>
      <ProblemAlert error={found.error ?? draft.error} />
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 1.5, flexWrap: "wrap" }}>
        {pick("cluster", "Cluster", data?.clusters ?? [])}
        {pick("array", "Array", data?.arrays ?? [])}
        <TextField
          label="Datastore or volume"
          value={filter.text}
          onChange={(event) => {
            setFilter({ ...filter, text: event.target.value });
          }}
          sx={{ width: 170 }}
        />
        <TextField
          select
          label="Set to"
          value={policy}
          onChange={(event) => {
            setPolicy(event.target.value);
          }}
          sx={{ width: 180 }}
          slotProps={{ select: { renderValue: (value) => label(String(value)) } }}
        >
          {(data?.policies ?? []).map((option) => (
            <MenuItem key={option.name} value={option.name}>
              {option.label}
              <span style={{ color: "var(--mute)", marginLeft: 8 }}>{option.text}</span>
            </MenuItem>
          ))}
        </TextField>
        <Button
          variant="contained"
          disabled={!differ || !session?.may_change || draft.isPending}
          onClick={() => {
            draft.mutate({ kind: "path_policy", form: { filter, policy } });
          }}
        >
          Draft lot
        </Button>
        <Typography color="textSecondary" role="status">
          {data && `${String(data.total)} devices${policy ? `, ${String(differ)} would change` : ""}`}
        </Typography>
      </Box>
      <DataGrid
        rows={data?.rows ?? []}
        columns={columns(policy, label)}
        density="compact"
        disableRowSelectionOnClick
        disableColumnMenu
        hideFooter={(data?.rows.length ?? 0) <= 100}
        aria-label="Path policies"
        sx={{ background: "var(--card)", maxHeight: "calc(100vh - 190px)" }}
      />
      {data && data.total > data.rows.length && (
        <Typography color="textSecondary" sx={{ mt: 0.75 }}>
          The first {data.rows.length} of {data.total} are listed; the lot takes all that the filter takes.
        </Typography>
      )}
    </>
  );
}
