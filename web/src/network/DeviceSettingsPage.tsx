import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useMemo, useState } from "react";
import { queryOptions } from "../api/client";
import type { Schemas } from "../api/problem";
import { Choice } from "../lots/drafts/fields";
import { useDraft } from "../lots/useDraft";
import { countOf } from "../parts/format";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useTableUrl } from "../parts/table/useTableUrl";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";

type Row = Schemas["DeviceRow"];
type Setting = Schemas["DeviceSetting"];

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

const settingColumn = (setting: Setting): Column<Row> => ({
  key: setting.name,
  head: setting.label.charAt(0).toUpperCase() + setting.label.slice(1),
  width: setting.choices.length ? 160 : 120,
  value: (row) => valueOf(row, setting),
  cell: (row) => (
    <>
      {row.odd.includes(setting.name) && (
        <span title="most hosts have another value for this volume" style={{ color: "var(--buoyText)" }}>
          ▲ differs{" "}
        </span>
      )}
      {inWords(setting, valueOf(row, setting))}
    </>
  ),
});

const columnsOf = (
  settings: readonly Setting[],
  chosen: Setting | undefined,
  wanted: string,
): Column<Row>[] => [
  { key: "host", head: "Host", value: (row) => row.host, width: 110, sticky: true },
  { key: "datastore", head: "Datastore", value: (row) => row.datastore },
  { key: "volume", head: "Volume", value: (row) => row.volume },
  { key: "array", head: "Array", value: (row) => row.array, width: 90 },
  { key: "paths", head: "Paths", value: (row) => row.paths, width: 75, figures: true },
  ...settings.map(settingColumn),
  {
    key: "after",
    head: "Would be",
    width: 120,
    sortable: false,
    value: (row) =>
      !chosen || !wanted ? "" : valueOf(row, chosen) === wanted ? "as it is" : inWords(chosen, wanted),
  },
];
const keyOf = (row: Row) => String(row.id);
const NOTHING: readonly Row[] = [];
const FILTERS = ["cluster", "array", "text"] as const;

/** Settings of many devices on many hosts: filter, see the difference row by row, draft one lot. */
export function DeviceSettingsPage() {
  const { filters, filter } = useTableUrl(FILTERS);
  const [name, setName] = useState("path_policy");
  const [value, setValue] = useState("");
  const asked = useDeferredValue(filters.text);
  const query = { cluster: filters.cluster, array: filters.array, text: asked };
  const { data: session } = useSession();
  const draft = useDraft();
  const found = useQuery({
    ...queryOptions("get", "/api/network/device-settings/", { params: { query } }),
    placeholderData: keepPreviousData,
  });
  const data = found.data;
  // Rows of another filter than the one typed say nothing of what a lot would change.
  const stale = found.isPlaceholderData || asked !== filters.text;
  const setting = data?.settings.find((each) => each.name === name);
  // A number is compared as rows have it, without zeros before it.
  const wanted =
    !setting || !isValue(setting, value) ? "" : setting.choices.length ? value : String(Number(value));
  const wrong = value !== "" && !wanted;
  const rows = data?.rows ?? NOTHING;
  const differ = setting && wanted ? rows.filter((row) => valueOf(row, setting) !== wanted).length : 0;
  const listed = data !== undefined && data.total > rows.length;
  const columns = useMemo(
    () => columnsOf(data?.settings ?? [], setting, wanted),
    [data?.settings, setting, wanted],
  );
  const pick = (key: "cluster" | "array", label: string, options: readonly string[]) => (
    <Box sx={{ width: 130 }}>
      <Choice
        label={label}
        value={filters[key] || "all"}
        fixed={false}
        options={["all", ...options].map((option) => [option, option] as const)}
        choose={(option) => {
          filter(key, option === "all" ? "" : option);
        }}
      />
    </Box>
  );
  return (
    <Page title="Device settings" stage="attach" error={found.error ?? draft.error} loading={!data}>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 0.75, flexWrap: "wrap" }}>
        {pick("cluster", "Cluster", data?.clusters ?? [])}
        {pick("array", "Array", data?.arrays ?? [])}
        <TextField
          label="Datastore or volume"
          value={filters.text}
          onChange={(event) => {
            filter("text", event.target.value);
          }}
          sx={{ width: 160 }}
        />
        <Box sx={{ width: 140 }}>
          <Choice
            label="Setting"
            value={name}
            fixed={false}
            options={(data?.settings ?? []).map((each) => [each.name, each.label] as const)}
            choose={(next) => {
              setName(next);
              setValue("");
            }}
          />
        </Box>
        {setting && <ValueField setting={setting} value={value} wrong={wrong} onChange={setValue} />}
        <Button
          variant="contained"
          disabled={stale || !wanted || !(differ || listed) || !session?.may_change || draft.isPending}
          onClick={() => {
            draft.mutate({ kind: "device_settings", form: { filter: query, setting: name, value: wanted } });
          }}
        >
          Draft lot
        </Button>
        <Typography color="textSecondary" role="status">
          {data &&
            (stale
              ? "looking …"
              : `${countOf(data.total, "device")}${wanted ? `, ${String(differ)} ${listed ? "of those listed " : ""}would change` : ""}`)}
        </Typography>
      </Box>
      <Typography color={wrong ? "error" : "textSecondary"} sx={{ mb: 1 }}>
        {setting &&
          (wrong
            ? `Give a whole number from ${String(setting.least)} to ${String(setting.most)} ${setting.unit}.`
            : `${setting.label}: ${setting.text}`)}
      </Typography>
      <DataTable
        name="Device settings"
        title="Devices on hosts"
        note={
          listed
            ? `The first ${String(rows.length)} of ${String(data.total)} are listed; the lot takes all that the filter takes.`
            : ""
        }
        columns={columns}
        rows={rows}
        rowKey={keyOf}
        empty="No device is so called; change the filter."
      />
    </Page>
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
