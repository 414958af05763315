import Box from "@mui/material/Box";
import Skeleton from "@mui/material/Skeleton";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import { Link, useLocation } from "react-router";
import { ProblemAlert } from "../parts/ProblemAlert";
import { chipsOf } from "./pages";

interface Props {
  /** Also the browser's title. */
  title: string;
  /** Stage whose pages stand beside the title. */
  stage?: string;
  /** Beside the title: what it is of, or how it stands. */
  note?: ReactNode;
  /** At the right end of the title's line. */
  actions?: ReactNode;
  /** What went wrong; what is shown stays, as it was last known. */
  error?: unknown;
  /** Nothing is known yet. */
  loading?: boolean;
  children?: ReactNode;
}

/** The frame of every page: its title, the pages beside it, what went wrong, and a sign of life while it loads. */
export function Page({ title, stage, note, actions, error, loading, children }: Props) {
  return (
    <>
      <title>{`${title} · Move Lot`}</title>
      <Box
        sx={{
          display: "flex",
          alignItems: "center",
          gap: 1,
          rowGap: 0.75,
          mb: 1.5,
          flexWrap: "wrap",
          minHeight: 32,
        }}
      >
        <Typography variant="h1" sx={{ mr: 0.5 }}>
          {title}
        </Typography>
        {note}
        {stage && <Chips stage={stage} />}
        {actions && (
          <Box sx={{ ml: "auto", display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
            {actions}
          </Box>
        )}
      </Box>
      <ProblemAlert error={error} />
      {loading && !error ? <Loading /> : children}
    </>
  );
}

/** The pages of a stage, the open one marked. */
function Chips({ stage }: { stage: string }) {
  const { pathname } = useLocation();
  const chips = chipsOf(stage).filter((page) => page.path !== pathname);
  return (
    <Box component="nav" aria-label="Beside this page" sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
      {chips.map((page) => (
        <Box
          key={page.path}
          component={Link}
          to={page.path}
          sx={{
            border: "1px solid var(--line)",
            background: "var(--card)",
            borderRadius: "4px",
            p: "3px 10px",
            fontSize: 12.5,
            textDecoration: "none",
            "&:hover": { borderColor: "var(--ink)" },
          }}
        >
          {page.strip ? `All of ${page.name}` : page.name}
        </Box>
      ))}
    </Box>
  );
}

const LINES = [420, 640, 560, 600];

/** Says that something is on its way, in the shape of what comes. */
export function Loading() {
  return (
    <Box role="status" aria-label="Loading" sx={{ display: "grid", gap: 1, py: 1 }}>
      {LINES.map((width) => (
        <Skeleton
          key={width}
          variant="rectangular"
          height={22}
          sx={{ maxWidth: width, background: "var(--track)" }}
        />
      ))}
    </Box>
  );
}
