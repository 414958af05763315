import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { formatDate } from "../parts/format";
import type { Finding } from "./queries";
import { usePutOff } from "./usePutOff";

/** Findings that somebody put off: until when, who, and why. */
export function PutOffList({ findings, mayChange }: { findings: readonly Finding[]; mayChange: boolean }) {
  const putOff = usePutOff();
  if (findings.length === 0) return null;
  return (
    <Box component="section" aria-label="Put off" sx={{ mt: 2 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        Put off
      </Typography>
      <Box component="ul" sx={{ m: 0, p: 0, listStyle: "none" }}>
        {findings.map((finding) => (
          <Box
            component="li"
            key={finding.id}
            sx={{ display: "flex", gap: 1.5, alignItems: "baseline", flexWrap: "wrap" }}
          >
            <strong>{finding.title}</strong>
            <span className="mono" style={{ fontSize: 12 }}>
              {finding.label}
            </span>
            <span style={{ color: "var(--mute)" }}>
              {finding.acknowledged_until && `until ${formatDate(finding.acknowledged_until)}`} by{" "}
              {finding.acknowledged_by}
              {finding.acknowledged_note && `: ${finding.acknowledged_note}`}
            </span>
            <Button
              size="small"
              variant="text"
              disabled={!mayChange || putOff.isPending}
              onClick={() => {
                putOff.mutate({ ids: [finding.id], until: null, note: "" });
              }}
              aria-label={`Bring back: ${finding.title}, ${finding.label}`}
            >
              Bring back
            </Button>
          </Box>
        ))}
      </Box>
    </Box>
  );
}
