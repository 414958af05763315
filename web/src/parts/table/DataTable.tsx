import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import {
  createSortedRowModel,
  rowSelectionFeature,
  rowSortingFeature,
  tableFeatures,
  useTable,
} from "@tanstack/react-table";
import { type ReactNode, useMemo, useState } from "react";
import { CARD, CardHead } from "../CardHead";
import { CsvButton } from "../CsvButton";
import { ProblemAlert } from "../ProblemAlert";
import { type Column, compareValues, csvOf } from "./columns";
import { Head } from "./Head";
import { PlainRows, type RowProps, VirtualRows } from "./Rows";
import type { ServerRows } from "./useServerRows";
import type { Sorting, TableUrl } from "./useTableUrl";

const FEATURES = tableFeatures({
  rowSortingFeature,
  rowSelectionFeature,
  sortedRowModel: createSortedRowModel(),
});
/** More rows than this are drawn as they come into sight. */
const MANY = 80;

interface Common<Row extends object> {
  /** What the rows are, as a reader hears it and a file is called. */
  name: string;
  columns: readonly Column<Row>[];
  rowKey: (row: Row) => string;
  /** What stands there without a row: what to do first. */
  empty: ReactNode;
  /** A heading above, with the CSV of all rows. */
  title?: ReactNode;
  /** Beside the heading. */
  note?: ReactNode;
  csv?: boolean;
  /** Chosen rows, by key; they stay chosen while others are shown. */
  selected?: ReadonlySet<string>;
  onSelect?: (keys: ReadonlySet<string>) => void;
  /** Rows are as high as what is in them, also where they are many. */
  tall?: boolean;
  /** Extra look of a row. */
  emphasis?: (row: Row) => "over" | "recommended" | undefined;
}

interface ClientProps<Row extends object> extends Common<Row> {
  rows: readonly Row[];
  /** In the order given where it is not said. */
  sorting?: Sorting;
}

interface ServerProps<Row extends object> extends Common<Row> {
  server: ServerRows<Row>;
  url: Pick<TableUrl<never>, "sorting" | "sort" | "at" | "scrolled">;
}

/** A table of rows: columns declared once give heads, cells, order and CSV; many rows are drawn as they come into sight. */
export function DataTable<Row extends object>(props: ClientProps<Row> | ServerProps<Row>) {
  return "server" in props ? <ServerTable {...props} /> : <ClientTable {...props} />;
}

/** Columns and rows as the library knows them, and the order in which the rows stand. */
function useModel<Row extends object>(
  props: Common<Row>,
  data: Row[],
  sorting: Sorting | null,
  manual: boolean,
) {
  const { columns, rowKey, selected } = props;
  const defs = useMemo(
    () =>
      columns.map((column) => ({
        id: column.key,
        accessorFn: column.value,
        enableSorting: column.sortable !== false && !column.screenOnly,
        sortFn: (a: { original: Row }, b: { original: Row }) =>
          compareValues(column.value(a.original), column.value(b.original)),
      })),
    [columns],
  );
  return useTable({
    features: FEATURES,
    columns: defs,
    data,
    getRowId: rowKey,
    manualSorting: manual,
    state: {
      sorting: sorting ? [{ id: sorting.key, desc: sorting.descending }] : [],
      rowSelection: Object.fromEntries([...(selected ?? [])].map((key) => [key, true as const])),
    },
  });
}

function ClientTable<Row extends object>(props: ClientProps<Row>) {
  const { rows, columns, rowKey, sorting: given = null } = props;
  const [sorting, setSorting] = useState<Sorting | null>(given);
  const data = useMemo(() => [...rows], [rows]);
  const model = useModel(props, data, sorting, false);
  const ordered = model.getRowModel().rows.map((row) => row.original);
  const keys = useMemo(() => rows.map(rowKey), [rows, rowKey]);
  const virtual = ordered.length > MANY;
  const body: RowProps<Row> = { ...bodyOf(props), count: ordered.length, row: (n) => ordered[n] };
  return (
    <Frame props={props} rows={ordered} scrolls={virtual}>
      {(scroller) => (
        <>
          <Head
            columns={columns}
            sorting={sorting}
            onSort={setSorting}
            selectAll={selectAllOf(props, keys)}
          />
          {ordered.length === 0 ? (
            <Empty columns={columns.length + 1} text={props.empty} />
          ) : virtual ? (
            <VirtualRows {...body} scroller={scroller} />
          ) : (
            <PlainRows {...body} />
          )}
        </>
      )}
    </Frame>
  );
}

function ServerTable<Row extends object>(props: ServerProps<Row>) {
  const { columns, server, url, rowKey } = props;
  const model = useModel(props, server.known, url.sorting, true);
  const known = model.getRowModel().rows.map((row) => row.original);
  const body: RowProps<Row> = {
    ...bodyOf(props),
    count: server.count ?? 0,
    row: server.row,
    at: url.at,
    see: server.see,
    scrolled: url.scrolled,
  };
  return (
    <>
      <ProblemAlert error={server.error} />
      <Frame props={props} rows={known} scrolls>
        {(scroller) => (
          <>
            <Head
              columns={columns}
              sorting={url.sorting}
              onSort={url.sort}
              selectAll={selectAllOf(props, known.map(rowKey))}
            />
            {server.count === 0 ? (
              <Empty columns={columns.length + 1} text={props.empty} />
            ) : server.count === null ? (
              <Empty
                columns={columns.length + 1}
                text={server.loading ? "Reading…" : "Nothing is known yet."}
              />
            ) : (
              <VirtualRows {...body} scroller={scroller} />
            )}
          </>
        )}
      </Frame>
    </>
  );
}

function bodyOf<Row extends object>(props: Common<Row>) {
  const { columns, rowKey, selected, onSelect, emphasis, tall } = props;
  return { columns, rowKey, selected, onSelect, emphasis, tall };
}

function selectAllOf<Row extends object>(
  { selected, onSelect, name }: Common<Row>,
  keys: readonly string[],
): ReactNode {
  if (!selected || !onSelect) return null;
  const some = keys.filter((key) => selected.has(key)).length;
  return (
    <Checkbox
      size="small"
      sx={{ p: 0 }}
      checked={keys.length > 0 && some === keys.length}
      indeterminate={some > 0 && some < keys.length}
      slotProps={{ input: { "aria-label": `Choose all ${name.toLowerCase()} shown` } }}
      onChange={() => {
        const next = new Set(selected);
        for (const key of keys)
          if (some === keys.length) next.delete(key);
          else next.add(key);
        onSelect(next);
      }}
    />
  );
}

interface FrameProps<Row extends object> {
  props: Common<Row>;
  rows: readonly Row[];
  /** Many rows scroll within the table, so that its head stays in sight. */
  scrolls: boolean;
  children: (scroller: HTMLElement | null) => ReactNode;
}

function Frame<Row extends object>({ props, rows, scrolls, children }: FrameProps<Row>) {
  const { name, title, note, csv = true, columns, selected } = props;
  const [scroller, setScroller] = useState<HTMLElement | null>(null);
  const chosen = selected?.size ?? 0;
  return (
    <Box component="section" aria-label={name} sx={{ ...CARD, mb: 1.5, minWidth: 0 }}>
      {(title !== undefined || note !== undefined || chosen > 0) && (
        <CardHead title={title}>
          {chosen > 0 && <span>{chosen} chosen</span>}
          <Box sx={{ flex: 1, color: "var(--mute)", fontSize: 12 }}>{note}</Box>
          {csv && <CsvButton name={name} {...csvOf(columns, rows)} />}
        </CardHead>
      )}
      <Box
        ref={setScroller}
        tabIndex={0}
        role="region"
        aria-label={`${name}, scrolls`}
        sx={{
          overflow: "auto",
          ...(scrolls ? { maxHeight: "max(240px, calc(100vh - 190px))", contain: "layout paint" } : {}),
        }}
      >
        <table
          aria-label={name}
          style={{
            borderCollapse: "separate",
            borderSpacing: 0,
            fontSize: 13,
            width: "100%",
            ...(scrolls ? { tableLayout: "fixed", minWidth: widthOf(columns) } : {}),
          }}
        >
          {children(scroller)}
        </table>
      </Box>
    </Box>
  );
}

const SHARED_PX = 160;
const widthOf = <Row,>(columns: readonly Column<Row>[]) =>
  columns.reduce((sum, column) => sum + (column.width ?? SHARED_PX), 0);

function Empty({ columns, text }: { columns: number; text: ReactNode }) {
  return (
    <tbody>
      <tr>
        <td colSpan={columns} style={{ padding: "14px 12px", color: "var(--mute)" }}>
          {text}
        </td>
      </tr>
    </tbody>
  );
}
