type Cell = string | number | boolean | null;

/** RFC 4180: a cell is quoted when it has to be; text that a spreadsheet would take for a formula is kept as text. */
function cell(value: Cell): string {
  if (value === null) return "";
  const text = typeof value === "string" && /^[=+\-@\t]/.test(value) ? `'${value}` : String(value);
  return /[",\n\r]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

/** A table as CSV text, first the heads. */
export function toCsv(heads: readonly string[], rows: readonly (readonly Cell[])[]): string {
  return [heads, ...rows].map((row) => row.map(cell).join(",")).join("\r\n") + "\r\n";
}
