import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import type { ReactNode } from "react";
import type { Column } from "./columns";
import type { Sorting } from "./useTableUrl";

interface Props<Row> {
  columns: readonly Column<Row>[];
  sorting: Sorting | null;
  onSort: (sorting: Sorting | null) => void;
  selectAll: ReactNode;
}

/** Heads that stay in sight; a press sorts by one, then the other way round, then not. */
export function Head<Row>({ columns, sorting, onSort, selectAll }: Props<Row>) {
  return (
    <thead>
      <tr>
        {selectAll && (
          <Box component="th" sx={{ ...HEAD, width: 34 }}>
            {selectAll}
          </Box>
        )}
        {columns.map((column) => {
          const sorted = sorting?.key === column.key ? sorting : null;
          const sortable = column.sortable !== false && !column.screenOnly;
          return (
            <Box
              key={column.key}
              component="th"
              scope="col"
              aria-sort={sorted ? (sorted.descending ? "descending" : "ascending") : undefined}
              sx={{
                ...HEAD,
                textAlign: column.figures ? "right" : "left",
                ...(column.width ? { width: column.width } : {}),
                ...(column.sticky ? { left: 0, zIndex: 3 } : {}),
              }}
            >
              {sortable ? (
                <ButtonBase
                  onClick={() => {
                    onSort(next(column.key, sorted));
                  }}
                  sx={{ font: "inherit", color: "inherit", gap: 0.5 }}
                >
                  {column.head}
                  <span aria-hidden style={{ width: 8 }}>
                    {sorted ? (sorted.descending ? "▾" : "▴") : ""}
                  </span>
                </ButtonBase>
              ) : (
                column.head
              )}
            </Box>
          );
        })}
      </tr>
    </thead>
  );
}

function next(key: string, sorted: Sorting | null): Sorting | null {
  if (!sorted) return { key, descending: false };
  return sorted.descending ? null : { key, descending: true };
}

const HEAD = {
  position: "sticky",
  top: 0,
  zIndex: 2,
  background: "var(--card)",
  borderBottom: "1px solid var(--line)",
  p: "7px 12px",
  fontSize: 12,
  fontWeight: 400,
  color: "var(--mute)",
  whiteSpace: "nowrap",
} as const;
