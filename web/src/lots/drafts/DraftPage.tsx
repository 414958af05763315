import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { type ReactNode, Suspense } from "react";
import { Link, useLocation, useSearchParams } from "react-router";
import { ProblemAlert } from "../../parts/ProblemAlert";
import { Page } from "../../shell/Page";
import { homeOf } from "../../shell/pages";
import type { Saving } from "./DraftSaver";
import type { DraftForm } from "./useDraftForm";

interface RouteProps {
  /** What the page is called while no draft is open there, and how one comes to be. */
  title: string;
  begin: ReactNode;
  children: (lot: number) => ReactNode;
}

/** A page on which a draft is typed, at `?lot=…`; without one it says how to begin. */
export function DraftRoute({ title, begin, children }: RouteProps) {
  const [search] = useSearchParams();
  const home = homeOf(useLocation().pathname);
  const lot = Number(search.get("lot")) || null;
  if (lot) return <Suspense>{children(lot)}</Suspense>;
  return (
    <Page title={title} {...(home ? { stage: home.stage } : {})}>
      <Typography>{begin}</Typography>
    </Page>
  );
}

interface Props<Form, Answer> {
  draft: DraftForm<Form, Answer>;
  title: string;
  note?: ReactNode;
  children: (form: Form) => ReactNode;
}

/** The frame of a draft's form: what it drafts, whether it is stored, and why it cannot be changed where it cannot. */
export function DraftPage<Form, Answer>({ draft, title, note, children }: Props<Form, Answer>) {
  const { form, saving, fixed, state, id, error, retry } = draft;
  return (
    <Page
      title={title}
      error={error}
      loading={form === null}
      note={
        <>
          {note}
          {form !== null && fixed && <WhyFixed lot={id} state={state} />}
        </>
      }
      actions={saving && !fixed && <SavingNote saving={saving} retry={retry} />}
    >
      <ProblemAlert error={saving?.error} />
      {form !== null && children(form)}
    </Page>
  );
}

function WhyFixed({ lot, state }: { lot: number; state: string | null }) {
  const home = homeOf(useLocation().pathname);
  return (
    <Typography color="textSecondary">
      {state === "draft" ? (
        "Your role reads only."
      ) : (
        <>
          <Link to={`/lots/${String(lot)}`}>Lot {lot}</Link> is {state}.{" "}
          {home && <Link to={home.path}>Back to {home.name}</Link>}
        </>
      )}
    </Typography>
  );
}

const WORDS = {
  saved: "■ stored as typed",
  unsaved: "◇ not stored yet",
  saving: "◪ storing…",
  failed: "▲ not stored",
} as const;

/** Whether what is typed is on the server. */
function SavingNote({ saving, retry }: { saving: Saving<unknown>; retry: () => void }) {
  const failed = saving.state === "failed";
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
      <Box
        component="span"
        role="status"
        aria-label="Draft"
        sx={{ fontSize: 12, color: failed ? "var(--buoyText)" : "var(--mute)" }}
      >
        {WORDS[saving.state]}
      </Box>
      {failed && (
        <Button variant="outlined" onClick={retry}>
          Store again
        </Button>
      )}
    </Box>
  );
}
