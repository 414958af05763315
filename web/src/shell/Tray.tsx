import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import Typography from "@mui/material/Typography";
import { Link, useLocation } from "react-router";
import { problemOf } from "../api/problem";
import { Checks } from "../lots/Checks";
import { LotButtons } from "../lots/LotButtons";
import { useLot } from "../lots/useLot";
import { StepList } from "../lots/StepList";
import { StateChip } from "../lots/StateChip";
import { Key } from "../parts/Key";
import { ProblemAlert } from "../parts/ProblemAlert";
import { TrayIdle } from "../rounds/TrayIdle";
import { Loading } from "./Page";
import { formPath } from "./pages";
import { useTray } from "./trayState";

/** The panel at the right: the lot being drafted or watched; folds to a rail. */
export function Tray() {
  const { lot, folded, over, fold } = useTray();
  if (folded) return <Rail lot={lot} open={fold} />;
  return (
    <Box
      component="aside"
      aria-label="Tray"
      sx={{
        width: { xs: 312, lg: 330, xl: 352 },
        maxWidth: "100vw",
        borderLeft: "1px solid var(--line)",
        background: "var(--card)",
        display: "flex",
        flexDirection: "column",
        minHeight: 0,
        ...(over ? { position: "fixed", top: 52, bottom: 0, right: 0, zIndex: 10 } : {}),
      }}
    >
      {lot ? <TrayLot id={lot} /> : <Idle fold={fold} />}
    </Box>
  );
}

function Rail({ lot, open }: { lot: number | null; open: () => void }) {
  return (
    <Box
      component="aside"
      aria-label="Tray, folded"
      sx={{
        width: 40,
        borderLeft: "1px solid var(--line)",
        background: "var(--card)",
        pt: 1.5,
        textAlign: "center",
      }}
    >
      <ButtonBase onClick={open} aria-label="Open the tray" sx={{ p: 0.5 }}>
        <Key>L</Key>
      </ButtonBase>
      <Box sx={{ writingMode: "vertical-rl", mt: 1.5, mx: "auto", color: "var(--mute)" }}>
        {lot ? `Lot ${String(lot)}` : "Lot tray"}
      </Box>
    </Box>
  );
}

function Idle({ fold }: { fold: () => void }) {
  return (
    <>
      <Box sx={{ display: "flex", justifyContent: "flex-end", p: "6px 14px 0" }}>
        <ButtonBase onClick={fold} aria-label="Fold the tray">
          <Key>L</Key>
        </ButtonBase>
      </Box>
      <TrayIdle />
    </>
  );
}

function TrayLot({ id }: { id: number }) {
  const { show, fold, extra } = useTray();
  const { pathname, search } = useLocation();
  const { data: lot, error } = useLot(id);
  const gone = error !== null && problemOf(error).status === 404;
  if (gone || !lot) {
    return (
      <Box sx={{ p: 2 }}>
        {gone ? <Typography>Lot {id} is no longer there.</Typography> : <ProblemAlert error={error} />}
        {error ? (
          <Button
            onClick={() => {
              show(null);
            }}
          >
            Empty the tray
          </Button>
        ) : (
          <Loading />
        )}
      </Box>
    );
  }
  const form = lot.summary.state === "draft" ? formPath(lot.summary.kind, id) : null;
  return (
    <>
      <Box sx={{ p: "12px 14px", borderBottom: "1px solid var(--line)" }}>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
          <Typography variant="h2" component="h2">
            <Link to={`/lots/${String(id)}`} style={{ textDecoration: "none" }}>
              Lot {id}
            </Link>
          </Typography>
          <StateChip state={lot.summary.state} live />
          <Box sx={{ flex: 1 }} />
          <ButtonBase
            onClick={() => {
              show(null);
            }}
            sx={{ fontSize: 12, color: "var(--mute)", px: 0.5 }}
          >
            put away
          </ButtonBase>
          <ButtonBase onClick={fold} aria-label="Fold the tray">
            <Key>L</Key>
          </ButtonBase>
        </Box>
        <Typography color="textSecondary">
          {lot.summary.title}
          {form && form !== pathname + search && !search.includes(`lot=${String(id)}`) && (
            <>
              {" · "}
              <Link to={form}>Change it</Link>
            </>
          )}
        </Typography>
        {error && <ProblemAlert error={error} />}
      </Box>
      <Box
        sx={{ overflow: "auto", flex: 1, minHeight: 0 }}
        tabIndex={0}
        role="region"
        aria-label="Steps and checks"
      >
        {extra}
        {lot.summary.state === "draft" && <Checks checks={lot.checks} />}
        <StepList lot={lot} />
      </Box>
      <LotButtons lot={lot} />
    </>
  );
}
