import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { SparkLineChart } from "@mui/x-charts/SparkLineChart";
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useUnit } from "../parts/unit";
import { Page } from "../shell/Page";
import { SHARED_BY, type SharedBy, sharesQuery } from "./queries";
import { type Whole, wholes } from "./shares";
import { ToldBy } from "./ToldBy";

/** By how much the first and the last of the days differ; none for fewer than two. */
const changeOf = (course: readonly number[]): number => (course.at(-1) ?? 0) - (course[0] ?? 0);

/** How what one has written went, and by how much it changed, in so many days. */
function Went({ course, name }: { course: readonly number[]; name: string }) {
  const { size } = useUnit();
  if (course.length < 2) return <span style={{ color: "var(--mute)" }}>from today on</span>;
  const change = changeOf(course);
  return (
    <span style={{ display: "inline-flex", alignItems: "center", gap: 6 }}>
      <span aria-label={`Written by ${name}, day by day`} role="img" style={{ width: 72, height: 22 }}>
        <SparkLineChart data={[...course]} height={22} width={72} color="var(--tide)" />
      </span>
      <span className="mono">
        {change < 0 ? "−" : "+"}
        {size(Math.abs(change))} in {course.length - 1} d
      </span>
    </span>
  );
}

const PRICES = "movelot.prices";
const keyOf = (row: Whole) => row.name;

/** Prices of a TiB and month by pool, as this browser keeps them. */
function keptPrices(): Map<string, number> {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(PRICES) ?? "{}");
    return new Map(Object.entries(found as Record<string, number>));
  } catch {
    // What another version or a person left there is no price list: it begins anew.
    return new Map();
  }
}

/** Who has how much of which pool, and what that costs at the prices typed; as CSV for those who charge for it. */
export function SharesPage() {
  const [params, setParams] = useSearchParams();
  const by: SharedBy = SHARED_BY.find((each) => each === params.get("by")) ?? "cluster";
  const { data, error } = useQuery(sharesQuery(by));
  const { size } = useUnit();
  const [prices, setPrices] = useState(keptPrices);
  const rows = useMemo(() => wholes(data?.rows ?? [], prices, data?.courses), [data, prices]);
  const columns = useMemo<Column<Whole>[]>(
    () => [
      {
        key: "name",
        head: by.charAt(0).toUpperCase() + by.slice(1),
        sticky: true,
        value: (row) => row.name,
        width: 220,
      },
      { key: "disks", head: "Disks", figures: true, value: (row) => row.disks, width: 80 },
      {
        key: "provisioned",
        head: "Provisioned",
        figures: true,
        value: (row) => row.provisioned,
        cell: (row) => size(row.provisioned),
      },
      {
        key: "written",
        head: "Written",
        figures: true,
        value: (row) => row.written,
        cell: (row) => size(row.written),
      },
      {
        key: "course",
        head: "Written since",
        figures: true,
        value: (row) => changeOf(row.course),
        cell: (row) => <Went course={row.course} name={row.name} />,
        width: 210,
      },
      {
        key: "pools",
        head: "Of which pools",
        value: (row) => row.pools.map((share) => share.pool || "none").join(" "),
        cell: (row) =>
          row.pools.map((share) => `${share.pool || "no pool"} ${size(share.provisioned_bytes)}`).join(" · "),
      },
      {
        key: "cost",
        head: "A month",
        figures: true,
        value: (row) => Math.round(row.cost * 100) / 100,
        cell: (row) => (row.cost ? row.cost.toLocaleString("en-GB", { maximumFractionDigits: 2 }) : "–"),
      },
    ],
    [by, size],
  );
  return (
    <Page
      title="Who uses what"
      stage="capacity"
      error={error}
      loading={!data}
      note={
        <ToldBy
          kinds={SHARED_BY}
          by={by}
          choose={(kind) => {
            setParams({ by: kind }, { replace: true });
          }}
        />
      }
    >
      <Box
        component="section"
        aria-label="Prices"
        sx={{ display: "flex", gap: 1.25, flexWrap: "wrap", alignItems: "center", mb: 1.5 }}
      >
        <Typography>Price of a TiB and month:</Typography>
        {(data?.pools ?? []).filter(Boolean).map((pool) => (
          <TextField
            key={pool}
            size="small"
            type="number"
            label={pool}
            value={prices.get(pool) ?? ""}
            sx={{ width: 130 }}
            slotProps={{ inputLabel: { shrink: true }, htmlInput: { min: 0, step: "any" } }}
            onChange={(event) => {
              const next = new Map(prices).set(pool, Math.max(0, Number(event.target.value) || 0));
              localStorage.setItem(PRICES, JSON.stringify(Object.fromEntries(next)));
              setPrices(next);
            }}
          />
        ))}
        <Link to="/machines?sort=-written_bytes" style={{ marginLeft: "auto" }}>
          Each machine by itself
        </Link>
      </Box>
      <DataTable
        name={`Who uses what, by ${by}`}
        title="Disks by who has them"
        columns={columns}
        rows={rows}
        rowKey={keyOf}
        empty="Nothing is used yet."
      />
    </Page>
  );
}
