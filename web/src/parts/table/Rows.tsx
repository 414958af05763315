import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import { useVirtualizer } from "@tanstack/react-virtual";
import { memo, useEffect, useRef } from "react";
import type { Column } from "./columns";

export const ROW_PX = 38;
const SETTLED_MS = 300;

export interface RowProps<Row> {
  columns: readonly Column<Row>[];
  count: number;
  /** A row by its number; undefined while it is on its way. */
  row: (index: number) => Row | undefined;
  rowKey: (row: Row) => string;
  selected?: ReadonlySet<string> | undefined;
  onSelect?: ((keys: ReadonlySet<string>) => void) | undefined;
  emphasis?: ((row: Row) => "over" | "recommended" | undefined) | undefined;
  /** Rows are as high as what is in them. */
  tall?: boolean | undefined;
  /** Number of the first row to show. */
  at?: number;
  see?: (first: number, last: number) => void;
  scrolled?: (at: number) => void;
}

/** All rows, each as high as it needs. */
export function PlainRows<Row>(props: RowProps<Row>) {
  return (
    <tbody>
      {Array.from({ length: props.count }, (_, n) => {
        const row = props.row(n);
        return row !== undefined && <Line key={props.rowKey(row)} row={row} {...lineOf(props)} />;
      })}
    </tbody>
  );
}

/** The rows in sight, all of one height, between what is above and below them. */
export function VirtualRows<Row>(props: RowProps<Row> & { scroller: HTMLElement | null }) {
  const { count, row, rowKey, columns, scroller, at = 0, see, scrolled } = props;
  // The compiler leaves components with it as they are, which is what they want.
  // eslint-disable-next-line react-hooks/incompatible-library
  const rows = useVirtualizer({
    count,
    getScrollElement: () => scroller,
    estimateSize: () => ROW_PX,
    overscan: 12,
    initialOffset: at * ROW_PX,
    initialRect: { width: 900, height: 600 },
    // The head stays in sight above the rows.
    scrollPaddingStart: ROW_PX,
  });
  const shown = rows.getVirtualItems();
  const first = shown[0]?.index ?? 0;
  const last = shown.at(-1)?.index ?? 0;
  useEffect(() => {
    see?.(first, last);
  }, [see, first, last]);
  useScrolled(scroller, scrolled);
  const above = shown[0]?.start ?? 0;
  const below = rows.getTotalSize() - (shown.at(-1)?.end ?? 0);
  const across = columns.length + (props.selected ? 1 : 0);
  return (
    <tbody>
      <Gap height={above} across={across} />
      {shown.map((item) => {
        const found = row(item.index);
        return found === undefined ? (
          <tr key={`on its way ${String(item.index)}`} style={{ height: ROW_PX }}>
            <td colSpan={across} style={{ borderTop: "1px solid var(--line)", padding: "0 12px" }}>
              <Box sx={{ height: 12, width: "60%", background: "var(--track)", borderRadius: "3px" }} />
            </td>
          </tr>
        ) : (
          <Line
            key={rowKey(found)}
            row={found}
            number={item.index}
            {...(props.tall ? { measure: rows.measureElement } : {})}
            {...lineOf(props)}
          />
        );
      })}
      <Gap height={below} across={across} />
    </tbody>
  );
}

/** Says where the table stands, once it does. */
function useScrolled(scroller: HTMLElement | null, scrolled: ((at: number) => void) | undefined) {
  const latest = useRef(scrolled);
  useEffect(() => {
    latest.current = scrolled;
  });
  useEffect(() => {
    if (!scroller) return undefined;
    let timer: number | undefined;
    const onScroll = () => {
      window.clearTimeout(timer);
      timer = window.setTimeout(() => latest.current?.(Math.round(scroller.scrollTop / ROW_PX)), SETTLED_MS);
    };
    scroller.addEventListener("scroll", onScroll, { passive: true });
    return () => {
      window.clearTimeout(timer);
      scroller.removeEventListener("scroll", onScroll);
    };
  }, [scroller]);
}

function Gap({ height, across }: { height: number; across: number }) {
  return height > 0 ? (
    <tr aria-hidden>
      <td colSpan={across} style={{ height, padding: 0, border: 0 }} />
    </tr>
  ) : null;
}

interface LineProps<Row> {
  row: Row;
  columns: readonly Column<Row>[];
  chosenKey: string | null;
  chosen: boolean;
  onChoose: (() => void) | undefined;
  emphasis: "over" | "recommended" | undefined;
  number?: number;
  /** Given where rows are as high as what is in them. */
  measure?: (row: HTMLElement | null) => void;
}

const lineOf = <Row,>({ columns, rowKey, selected, onSelect, emphasis }: RowProps<Row>) => ({
  columns,
  rowKey,
  selected,
  onSelect,
  emphasisOf: emphasis,
});

function Line<Row>({
  row,
  columns,
  rowKey,
  selected,
  onSelect,
  emphasisOf,
  number,
  measure,
}: ReturnType<typeof lineOf<Row>> & { row: Row } & Pick<LineProps<Row>, "number" | "measure">) {
  const key = rowKey(row);
  return (
    <Cells
      row={row}
      columns={columns as readonly Column<unknown>[]}
      chosenKey={selected ? key : null}
      chosen={selected?.has(key) ?? false}
      onChoose={
        selected && onSelect
          ? () => {
              const next = new Set(selected);
              if (!next.delete(key)) next.add(key);
              onSelect(next);
            }
          : undefined
      }
      emphasis={emphasisOf?.(row)}
      {...(number === undefined ? {} : { number })}
      {...(measure ? { measure } : {})}
    />
  );
}

/** A row is drawn anew only when it is another one, or chosen. */
const Cells = memo(
  function Cells({
    row,
    columns,
    chosenKey,
    chosen,
    onChoose,
    emphasis,
    number,
    measure,
  }: LineProps<unknown>) {
    const oneLine = number !== undefined && !measure;
    const background = chosen || emphasis === "recommended" ? "var(--tideSoft)" : "var(--card)";
    return (
      <tr
        aria-selected={chosenKey === null ? undefined : chosen}
        ref={measure}
        data-index={number}
        {...(number === undefined ? {} : { "aria-rowindex": number + 2 })}
        style={oneLine ? { height: ROW_PX, background } : { background }}
      >
        {chosenKey !== null && (
          <td style={{ ...CELL, width: 34 }}>
            <Checkbox
              size="small"
              sx={{ p: 0 }}
              checked={chosen}
              onChange={onChoose}
              slotProps={{ input: { "aria-label": `Choose ${String(columns[0]?.value(row) ?? chosenKey)}` } }}
            />
          </td>
        )}
        {columns.map((column) => (
          <td
            key={column.key}
            className={column.figures || column.mono ? "mono" : undefined}
            style={{
              ...CELL,
              textAlign: column.figures ? "right" : "left",
              ...(emphasis === "over" ? { color: "var(--buoyText)" } : {}),
              ...(column.figures ? { whiteSpace: "nowrap" } : {}),
              ...(oneLine ? ONE_LINE : {}),
              ...(column.sticky ? { position: "sticky", left: 0, background, zIndex: 1 } : {}),
            }}
          >
            {column.cell ? column.cell(row) : textOf(column.value(row))}
          </td>
        ))}
      </tr>
    );
  },
  (before, after) =>
    before.row === after.row &&
    before.columns === after.columns &&
    before.chosen === after.chosen &&
    before.onChoose === after.onChoose &&
    before.emphasis === after.emphasis &&
    before.number === after.number,
);

const textOf = (value: string | number | boolean | null) =>
  value === null || value === "" ? "–" : typeof value === "boolean" ? (value ? "yes" : "no") : value;

const CELL = { padding: "6px 12px", borderTop: "1px solid var(--line)", verticalAlign: "top" } as const;
const ONE_LINE = {
  overflow: "hidden",
  textOverflow: "ellipsis",
  whiteSpace: "nowrap",
  verticalAlign: "middle",
} as const;
