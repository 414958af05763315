import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import { problemOf } from "../api/problem";
import { Checks } from "../lots/Checks";
import { LotButtons } from "../lots/LotButtons";
import { StepList } from "../lots/StepList";
import { StateChip } from "../lots/StateChip";
import { useLot } from "../lots/useLot";
import { ProblemAlert } from "../parts/ProblemAlert";
import { TrayIdle } from "../rounds/TrayIdle";
import { Key } from "./TopStrip";
import { useTray } from "./trayState";

/** The panel at the right: the lot being drafted or watched; folds to a rail. */
export function Tray() {
  const { lot, folded, fold } = useTray();
  if (folded) {
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
        <ButtonBase onClick={fold} aria-label="Open the tray" sx={{ p: 0.5 }}>
          <Key>L</Key>
        </ButtonBase>
        <Box sx={{ writingMode: "vertical-rl", mt: 1.5, mx: "auto", color: "var(--mute)" }}>
          {lot ? `Lot ${String(lot)}` : "Lot tray"}
        </Box>
      </Box>
    );
  }
  return (
    <Box
      component="aside"
      aria-label="Tray"
      sx={{
        width: { xs: 312, lg: 330, xl: 352 },
        borderLeft: "1px solid var(--line)",
        background: "var(--card)",
        display: "flex",
        flexDirection: "column",
        minHeight: 0,
      }}
    >
      {lot ? <TrayLot id={lot} /> : <TrayIdle />}
    </Box>
  );
}

function TrayLot({ id }: { id: number }) {
  const { show, fold, extra } = useTray();
  const { data: lot, error } = useLot(id);
  if (error) {
    return (
      <Box sx={{ p: 2 }}>
        {problemOf(error).status === 404 ? (
          <Typography>Lot {id} is no longer there.</Typography>
        ) : (
          <ProblemAlert error={error} />
        )}
        <Button
          onClick={() => {
            show(null);
          }}
        >
          Empty the tray
        </Button>
      </Box>
    );
  }
  if (!lot) return null;
  return (
    <>
      <Box sx={{ p: "12px 14px", borderBottom: "1px solid var(--line)" }}>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
          <Typography variant="h2" component="h2">
            <Link to={`/lots/${String(id)}`} style={{ textDecoration: "none" }}>
              Lot {id}
            </Link>
          </Typography>
          <StateChip state={lot.summary.state} />
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
        <Typography color="textSecondary">{lot.summary.title}</Typography>
      </Box>
      <Box
        sx={{ overflow: "auto", flex: 1, minHeight: 0 }}
        tabIndex={0}
        role="region"
        aria-label="Steps and checks"
      >
        {extra}
        <StepList lot={lot} />
        {lot.summary.state === "draft" && <Checks checks={lot.checks} />}
      </Box>
      <LotButtons lot={lot} />
    </>
  );
}
