import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import type { Schemas } from "../api/problem";
import { Mark } from "../parts/Mark";

/** The first hour with an empty estate: what is done, and what comes next. */
export function FirstHour({ steps }: { steps: readonly Schemas["FirstStep"][] }) {
  const next = steps.find((step) => !step.done);
  if (!next) return null;
  return (
    <Box
      component="section"
      aria-label="The first hour"
      sx={{
        maxWidth: 760,
        mb: 2,
        border: "1px solid var(--line)",
        borderRadius: "6px",
        background: "var(--card)",
      }}
    >
      <Typography variant="h2" component="h2" sx={{ p: "12px 16px 4px" }}>
        The first hour
      </Typography>
      <Box component="ol" sx={{ m: 0, p: 0, listStyle: "none" }}>
        {steps.map((step) => (
          <Box
            component="li"
            key={step.name}
            aria-current={step === next ? "step" : undefined}
            sx={{
              display: "grid",
              gridTemplateColumns: "20px minmax(0, 1fr) auto",
              gap: 1.25,
              alignItems: "center",
              p: "9px 16px",
              "& + &": { borderTop: "1px solid var(--line)" },
              background: step === next ? "var(--tideSoft)" : "none",
            }}
          >
            <Mark kind={step.done ? "clear" : "unjudged"} label={step.done ? "done" : "to do"} />
            <div>
              <strong>{step.name}</strong>
              <div style={{ color: "var(--mute)" }}>{step.text}</div>
            </div>
            {!step.done && (
              <Button component={Link} to={step.path} variant={step === next ? "contained" : "outlined"}>
                {step === next ? "Begin" : "Open"}
              </Button>
            )}
          </Box>
        ))}
      </Box>
      <Typography color="textSecondary" sx={{ p: "10px 16px", borderTop: "1px solid var(--line)" }}>
        Devices that cannot be linked: <Link to="/devices">bring the estate in from files</Link>; people then
        carry its lots out by run sheets.
      </Typography>
    </Box>
  );
}
