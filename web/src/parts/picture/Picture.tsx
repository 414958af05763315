import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { type ReactNode, useState } from "react";
import { CARD } from "../CardHead";
import { CsvButton } from "../CsvButton";

interface Props {
  title: string;
  /** What its marks and colours mean. */
  legend?: ReactNode;
  note?: ReactNode;
  /** The figures that it shows, for other programs. */
  csv?: { name: string; heads: readonly string[]; rows: () => (string | number | boolean | null)[][] };
  /** The same figures as a table, its equal. */
  twin?: ReactNode;
  /** Said to readers when what is drawn moves. */
  said?: string;
  /** Wider than the page scrolls within. */
  children: ReactNode;
}

/** The frame of a picture: title, legend, CSV, and the table that says the same. */
export function Picture({ title, legend, note, csv, twin, said, children }: Props) {
  const [asTable, setAsTable] = useState(false);
  return (
    <Box component="figure" aria-label={title} sx={{ ...CARD, m: 0, mb: 1.5, minWidth: 0 }}>
      <Box
        sx={{
          display: "flex",
          alignItems: "center",
          flexWrap: "wrap",
          gap: 2,
          rowGap: 0.5,
          p: "6px 12px",
          borderBottom: "1px solid var(--line)",
        }}
      >
        <Typography variant="h2" component="h2">
          {title}
        </Typography>
        {!asTable && legend}
        <Box sx={{ flex: 1 }} />
        {note}
        {twin && (
          <Button
            aria-pressed={asTable}
            onClick={() => {
              setAsTable(!asTable);
            }}
          >
            {asTable ? "As a picture" : "As a table"}
          </Button>
        )}
        {csv && <CsvButton {...csv} />}
      </Box>
      {asTable ? twin : children}
      <div role="status" style={HIDDEN}>
        {said}
      </div>
    </Box>
  );
}

/** There for readers, not for the eye. */
export const HIDDEN = {
  position: "absolute",
  width: 1,
  height: 1,
  overflow: "hidden",
  clipPath: "inset(50%)",
  whiteSpace: "nowrap",
} as const;
