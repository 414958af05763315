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
import { countOf } from "../parts/format";

type Row = Schemas["DeviceRow"];
type Setting = Schemas["DeviceSetting"];
interface Filter {
  cluster: string;
  array: string;
  text: string;
}

const valueOf = (row: Row, setting: Setting): string =>
  setting.name === "path_policy"
    ? row.path_policy
    : String(setting.name === "queue_depth" ? row.queue_depth : row.turn_ios);

const inWords = (setting: Setting, value: string): string =>
  setting.choices.length
    ? (setting.choices.find((choice) => choice.name === value)?.label ?? value)
    : value === "0"
      ? "not told"
      : value;

/** Whether what was chosen or typed is a value of the setting. */
const isValue = (setting: Setting, value: string): boolean =>
  setting.choices.length
    ? setting.choices.some((choice) => choice.name === value)
    : /^\d+$/.test(value) && Number(value) >= setting.least && Number(value) <= setting.most;

const settingColumn = (setting: Setting): GridColDef<Row> => ({
  field: setting.name,
  headerName: setting.label.charAt(0).toUpperCase() + setting.label.slice(1),
  width: setting.choices.length ? 150 : 115,
  type: setting.choices.length ? "string" : "number",
  renderCell: ({ row }) => (
    <span>
      {row.odd.includes(setting.name) && (
        <span title="most hosts have another value for this volume" style={{ color: "var(--buoyText)" }}>
          ▲ differs{" "}
        </span>
      )}
      {inWords(setting, valueOf(row, setting))}
    </span>
  ),
});

const columns = (
  settings: readonly Setting[],
  chosen: Setting | undefined,
  wanted: string,
): GridColDef<Row>[] => [
  { field: "host", headerName: "Host", width: 85 },
  { field: "datastore", headerName: "Datastore", flex: 1, minWidth: 85 },
  { field: "volume", headerName: "Volume", flex: 1, minWidth: 85 },
  { field: "array", headerName: "Array", width: 80 },
  { field: "paths", headerName: "Paths", width: 65, type: "number" },
  ...settings.map(settingColumn),
  {
    field: "after",
    headerName: "Would be",
    width: 110,
    sortable: false,
    valueGetter: (_value, row) =>
      !chosen || !wanted ? "" : valueOf(row, chosen) === wanted ? "as it is" : inWords(chosen, wanted),
  },
];

/** Settings of many devices on many hosts: filter, see the difference row by row, draft one lot. */
export function DeviceSettingsPage() {
  const [filter, setFilter] = useState<Filter>({ cluster: "", array: "", text: "" });
  const [name, setName] = useState("path_policy");
  const [value, setValue] = useState("");
  const asked = useDeferredValue(filter);
  const { data: session } = useSession();
  const draft = useDraft();
  const found = useQuery({
    queryKey: ["device settings", asked],
    queryFn: () => unwrap(api.GET("/api/network/device-settings/", { params: { query: asked } })),
    placeholderData: keepPreviousData,
    refetchInterval: 20_000,
  });
  const data = found.data;
  const setting = data?.settings.find((each) => each.name === name);
  // A number is compared as rows have it, without zeros before it.
  const wanted =
    !setting || !isValue(setting, value) ? "" : setting.choices.length ? value : String(Number(value));
  const wrong = value !== "" && !wanted;
  const differ =
    setting && wanted && data ? data.rows.filter((row) => valueOf(row, setting) !== wanted).length : 0;
  const listed = data !== undefined && data.total > data.rows.length;
  const pick = (key: "cluster" | "array", label: string, options: readonly string[]) => (
    <TextField
      select
      label={label}
      value={filter[key]}
      onChange={(event) => {
        setFilter({ ...filter, [key]: event.target.value });
      }}
      slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
      sx={{ width: 120 }}
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
        Device settings
      </Typography>
      <ProblemAlert error={found.error ?? draft.error} />
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 0.75, flexWrap: "wrap" }}>
        {pick("cluster", "Cluster", data?.clusters ?? [])}
        {pick("array", "Array", data?.arrays ?? [])}
        <TextField
          label="Datastore or volume"
          value={filter.text}
          onChange={(event) => {
            setFilter({ ...filter, text: event.target.value });
          }}
          sx={{ width: 160 }}
        />
        <TextField
          select
          label="Setting"
          value={data ? name : ""}
          onChange={(event) => {
            setName(event.target.value);
            setValue("");
          }}
          sx={{ width: 130 }}
        >
          {(data?.settings ?? []).map((each) => (
            <MenuItem key={each.name} value={each.name}>
              {each.label}
            </MenuItem>
          ))}
        </TextField>
        {setting && <ValueField setting={setting} value={value} wrong={wrong} onChange={setValue} />}
        <Button
          variant="contained"
          disabled={!wanted || !(differ || listed) || !session?.may_change || draft.isPending}
          onClick={() => {
            draft.mutate({ kind: "device_settings", form: { filter, setting: name, value: wanted } });
          }}
        >
          Draft lot
        </Button>
        <Typography color="textSecondary" role="status">
          {data &&
            `${countOf(data.total, "device")}${wanted ? `, ${String(differ)} ${listed ? "of those listed " : ""}would change` : ""}`}
        </Typography>
      </Box>
      <Typography color={wrong ? "error" : "textSecondary"} sx={{ mb: 1 }}>
        {setting &&
          (wrong
            ? `Give a whole number from ${String(setting.least)} to ${String(setting.most)} ${setting.unit}.`
            : `${setting.label}: ${setting.text}`)}
      </Typography>
      <DataGrid
        rows={data?.rows ?? []}
        columns={columns(data?.settings ?? [], setting, wanted)}
        density="compact"
        disableRowSelectionOnClick
        disableColumnMenu
        hideFooter={(data?.rows.length ?? 0) <= 100}
        aria-label="Device settings"
        sx={{ background: "var(--card)", maxHeight: "calc(100vh - 215px)" }}
      />
      {listed && (
        <Typography color="textSecondary" sx={{ mt: 0.75 }}>
          The first {data.rows.length} of {data.total} are listed; the lot takes all that the filter takes.
        </Typography>
      )}
    </>
  );
}

/** Where the value is chosen, or typed if it is a number. */
function ValueField({
  setting,
  value,
  wrong,
  onChange,
}: {
  setting: Setting;
  value: string;
  wrong: boolean;
  onChange: (value: string) => void;
}) {
  if (!setting.choices.length)
    return (
      <TextField
        label={`Set to, ${setting.unit}`}
        value={value}
        error={wrong}
        onChange={(event) => {
          onChange(event.target.value.trim());
        }}
        slotProps={{ htmlInput: { inputMode: "numeric" } }}
        sx={{ width: 150 }}
      />
    );
  return (
    <TextField
      select
      label="Set to"
      value={value}
      onChange={(event) => {
        onChange(event.target.value);
      }}
      sx={{ width: 150 }}
      slotProps={{ select: { renderValue: (chosen) => inWords(setting, String(chosen)) } }}
    >
      {setting.choices.map((option) => (
        <MenuItem key={option.name} value={option.name}>
          {option.label}
          <span style={{ color: "var(--mute)", marginLeft: 8 }}>{option.text}</span>
        </MenuItem>
      ))}
    </TextField>
  );
}
