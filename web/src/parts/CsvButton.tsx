import Button from "@mui/material/Button";
import { toCsv } from "./csv";

interface Props {
  /** Name of the file, without its ending, and what a reader hears. */
  name: string;
  heads: readonly string[];
  rows: () => (string | number | boolean | null)[][];
}

/** Saves a picture's figures as a CSV file; sizes in bytes, so that both bases can be made of them. */
export function CsvButton({ name, heads, rows }: Props) {
  const save = () => {
    const url = URL.createObjectURL(new Blob([toCsv(heads, rows())], { type: "text/csv" }));
    const link = document.createElement("a");
    link.href = url;
    link.download = `${name}.csv`;
    link.click();
    URL.revokeObjectURL(url);
  };
  return (
    <Button size="small" onClick={save} aria-label={`Save ${name} as CSV`}>
      CSV
    </Button>
  );
}
