import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import Checkbox from "@mui/material/Checkbox";
import Typography from "@mui/material/Typography";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useDeferredValue, useState } from "react";
import { useSearchParams } from "react-router";
import { CARD } from "../parts/CardHead";
import { CsvButton } from "../parts/CsvButton";
import { Mark } from "../parts/Mark";
import { useUnit } from "../parts/unit";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { SizeBar } from "./SizeBar";
import { LayerBar, LayerKey, LAYERS } from "./LayerBar";
import {
  AS_IT_IS,
  capacityQuery,
  isAsItIs,
  type Kind,
  kindOf,
  KINDS,
  type Row,
  type WhatIf,
  whatIfQuery,
  whatIfsQuery,
} from "./queries";
import { Reclaims } from "./Reclaims";
import { RunwayAxis, RunwayBar } from "./RunwayBar";
import { runwayText, stateOf } from "./runways";
import { ToldBy } from "./ToldBy";
import { WhatIfBar } from "./WhatIfBar";

const CoursePanel = lazy(async () => ({ default: (await import("./CoursePanel")).CoursePanel }));
const GRID = "minmax(150px, 190px) minmax(180px, 1fr) minmax(220px, 1.15fr) 170px";
const NONE: ReadonlySet<number> = new Set();
const MARK = { over: "over", waits: "part", clear: "clear" } as const;

/** Where every byte is, and when room is used up: what runs out first on top. */
export function CapacityPage() {
  const [params, setParams] = useSearchParams();
  const by = kindOf(params.get("by"));
  const [typed, setTyped] = useState<WhatIf | null>(null);
  const { data: kept } = useQuery({ ...whatIfsQuery(), enabled: params.has("if") });
  const opening = kept?.find((each) => String(each.id) === params.get("if"));
  // What is kept is opened by its address, and goes its own way once it is changed.
  const asked = typed ?? opening?.asked ?? AS_IT_IS;
  const meant = useDeferredValue(asked);
  const asItIs = isAsItIs(meant);
  const { data: session } = useSession();
  const { data: now, error } = useQuery(capacityQuery(by));
  const { data: then, error: refused } = useQuery({
    ...whatIfQuery(by, meant),
    enabled: !asItIs,
    placeholderData: keepPreviousData,
  });
  const rows = (asItIs ? undefined : then)?.rows ?? now?.rows ?? [];
  const opened = rows.find((row) => String(row.id) === params.get("row"));
  const [chosen, setChosen] = useState<ReadonlySet<number>>(NONE);
  const choose = (id: number) => {
    const next = new Set(chosen);
    if (!next.delete(id)) next.add(id);
    setChosen(next);
  };
  const growable = by === "datastore" && (session?.may_change ?? false);
  const show = (next: Record<string, string>) => {
    setParams(next, { replace: true });
  };
  return (
    <Page
      title="Capacity"
      stage="capacity"
      error={error ?? refused}
      loading={!now}
      note={
        <ToldBy
          kinds={Object.keys(KINDS) as Kind[]}
          by={by}
          choose={(kind) => {
            setChosen(NONE);
            show({ ...(opening && !typed ? { if: String(opening.id) } : {}), by: kind });
          }}
        />
      }
      actions={<CsvButton name={`capacity by ${by}`} heads={HEADS} rows={() => rows.map(cellsOf)} />}
    >
      <WhatIfBar asked={asked} said={(asItIs ? undefined : then)?.said ?? []} change={setTyped} />
      {rows.length === 0 && (
        <Typography color="textSecondary">
          There are no {KINDS[by]} yet: link an array or a host, and they are told after the first reading.
        </Typography>
      )}
      {rows.length > 0 && (
        <>
          <LayerKey />
          {growable && chosen.size > 0 && (
            <SizeBar
              chosen={rows.filter((row) => chosen.has(row.id))}
              none={() => {
                setChosen(NONE);
              }}
            />
          )}
          <Box sx={{ ...CARD, mt: 1, p: "8px 12px", overflowX: "auto" }}>
            <Box
              sx={{
                display: "grid",
                gridTemplateColumns: GRID,
                columnGap: 2,
                minWidth: 760,
                pl: growable ? "34px" : 0,
              }}
            >
              <span />
              <span />
              <RunwayAxis />
              <span />
            </Box>
            {rows.map((row) => (
              <Line
                key={row.id}
                row={row}
                {...(growable ? { chosen: chosen.has(row.id), choose } : {})}
                widest={Math.max(...rows.map(widthOf))}
                open={row === opened}
                toggle={() => {
                  show(row === opened ? { by } : { by, row: String(row.id) });
                }}
              />
            ))}
          </Box>
        </>
      )}
      {opened && (
        <Suspense fallback={null}>
          <CoursePanel row={opened} />
        </Suspense>
      )}
      {now && now.rows.length > 0 && <Reclaims />}
    </Page>
  );
}

/** Bytes that a row is as wide as: its capacity, or what was promised of it where that is more. */
const widthOf = (row: Row): number => Math.max(row.capacity_bytes, row.subscribed_bytes ?? 0);

interface LineProps {
  row: Row;
  widest: number;
  open: boolean;
  toggle: () => void;
  /** For rows that can be chosen to be grown. */
  chosen?: boolean;
  choose?: (id: number) => void;
}

/** A row: its name, where its bytes are, when its ceiling is reached. Pressed it shows how that came and goes on. */
function Line({ row, widest, open, toggle, chosen = false, choose }: LineProps) {
  const { size } = useUnit();
  const state = stateOf(row);
  const line = (
    <ButtonBase
      aria-expanded={open}
      onClick={toggle}
      sx={{
        display: "grid",
        gridTemplateColumns: GRID,
        columnGap: 2,
        minWidth: 760,
        width: "100%",
        textAlign: "left",
        alignItems: "center",
        py: 0.5,
        borderTop: "1px solid var(--line)",
        background: open ? "var(--tideSoft)" : "none",
      }}
    >
      <span style={{ display: "flex", gap: 6, alignItems: "center" }}>
        <Mark kind={MARK[state]} label="" />
        <span>
          <b style={{ color: state === "over" ? "var(--buoyText)" : "inherit" }}>{row.name}</b>
          {row.of && <span style={{ color: "var(--mute)", fontSize: 12 }}> {row.of}</span>}
        </span>
      </span>
      <LayerBar row={row} widest={widest} />
      <RunwayBar row={row} />
      <span className="mono" style={{ fontSize: 12 }}>
        {runwayText(row)}
        <span style={{ color: "var(--mute)", display: "block" }}>
          {size(row.used_bytes)} of {size(row.capacity_bytes)}
        </span>
      </span>
    </ButtonBase>
  );
  if (!choose) return line;
  return (
    <Box sx={{ display: "flex", alignItems: "center" }}>
      <Checkbox
        size="small"
        checked={chosen}
        slotProps={{ input: { "aria-label": `Choose ${row.name}` } }}
        onChange={() => {
          choose(row.id);
        }}
      />
      {line}
    </Box>
  );
}

const LAYER_NAMES = Object.keys(LAYERS);
const HEADS = [
  "name",
  "of",
  "capacity in bytes",
  "used in bytes",
  "subscribed in bytes",
  ...LAYER_NAMES.map((layer) => `${layer} in bytes`),
  "does not add up by bytes",
  "grows a day in bytes",
  "full in days, at least",
  "full in days, likely",
  "full in days, at most",
];

/** A row for a spreadsheet, sizes in bytes. */
function cellsOf(row: Row): (string | number | null)[] {
  const bytes = new Map(row.layers.map((each) => [each.layer, each.size_bytes]));
  return [
    row.name,
    row.of,
    row.capacity_bytes,
    row.used_bytes,
    row.subscribed_bytes,
    ...LAYER_NAMES.map((layer) => bytes.get(layer) ?? 0),
    row.difference_bytes,
    row.growth_bytes,
    row.early,
    row.likely,
    row.late,
  ];
}
