import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { useDraft } from "../lots/useDraft";
import { countOf, formatMoment } from "../parts/format";
import { Mark } from "../parts/Mark";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useNow } from "../parts/useNow";
import { useUnit } from "../parts/unit";
import { useSession } from "../shell/useSession";
import { useShortcuts } from "../shell/useShortcuts";
import { useStatus } from "../shell/useStatus";
import { PutOff } from "./PutOff";
import { PutOffList } from "./PutOffList";
import { type Finding, useRounds } from "./useRounds";
import { newOnes, pathTo, said } from "./words";

const named = (stage: string) => stage.charAt(0).toUpperCase() + stage.slice(1);

/** The first page: what wants attention today, most urgent first. */
export function RoundsPage() {
  const { data, error } = useRounds();
  const { data: status } = useStatus();
  const now = useNow(30_000);
  const [row, setRow] = useState(0);
  const draft = useDraft();
  const navigate = useNavigate();
  const { data: session } = useSession();
  const findings = data?.findings ?? [];
  const chosen = findings[Math.min(row, findings.length - 1)];
  useShortcuts({
    j: () => {
      setRow((n) => Math.min(n + 1, findings.length - 1));
    },
    k: () => {
      setRow((n) => Math.max(n - 1, 0));
    },
    d: () => {
      if (chosen?.draft && session?.may_change) draft.mutate(chosen.draft);
    },
    t: () => {
      const to = chosen && pathTo(chosen);
      if (to) void navigate(to);
    },
  });
  const urgent = findings.filter((finding) => finding.urgency === "now").length;
  const fresh = newOnes(findings, now);
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 1.5, mb: 1.5, flexWrap: "wrap" }}>
        <Typography variant="h1">Rounds</Typography>
        <Typography color="textSecondary">
          {now.toLocaleDateString("en-GB", { weekday: "long", day: "numeric", month: "long" })} ·{" "}
          {data
            ? `${needs(urgent)} you today, ${String(findings.length - urgent)} can wait${fresh.size ? `, ${String(fresh.size)} new since yesterday` : ""}`
            : "looking through the readings …"}
        </Typography>
        <Box sx={{ flex: 1 }} />
        {data?.last_lot && (
          <Typography color="textSecondary">
            <Link to={`/lots/${String(data.last_lot.id)}`}>Last lot</Link> {data.last_lot.state}{" "}
            {formatMoment(data.last_lot.ended_at, now)}, {data.last_lot.steps} steps
          </Typography>
        )}
      </Box>
      <ProblemAlert error={error ?? draft.error} />
      {status?.devices === 0 && <FirstSteps />}
      {findings.length > 0 && (
        <Box
          component="ul"
          aria-label="Findings"
          sx={{
            m: 0,
            p: 0,
            listStyle: "none",
            border: "1px solid var(--line)",
            borderRadius: "6px",
            background: "var(--card)",
            overflow: "hidden",
          }}
        >
          {findings.map((finding, n) => (
            <Row
              key={finding.id}
              finding={finding}
              fresh={fresh.has(finding.id)}
              chosen={n === row}
              mayChange={session?.may_change ?? false}
              onDraft={() => {
                if (finding.draft) draft.mutate(finding.draft);
              }}
              busy={draft.isPending}
            />
          ))}
        </Box>
      )}
      <PutOffList findings={data?.put_off ?? []} mayChange={session?.may_change ?? false} />
      {data && status && status.devices > 0 && (
        <Typography color="textSecondary" sx={{ mt: 1.5 }}>
          {findings.length ? "Everything else is quiet" : "All is quiet"}:{" "}
          {countOf(data.quiet.datastores, "datastore")}, {countOf(data.quiet.hosts, "host")},{" "}
          {countOf(data.quiet.disks, "disk")}
          {status.oldest_reading_at ? `, read ${formatMoment(status.oldest_reading_at, now)}` : ""}.
        </Typography>
      )}
    </>
  );
}

interface RowProps {
  finding: Finding;
  fresh: boolean;
  chosen: boolean;
  mayChange: boolean;
  busy: boolean;
  onDraft: () => void;
}

const needs = (count: number) => (count === 1 ? "1 needs" : `${String(count)} need`);

function Row({ finding, fresh, chosen, mayChange, busy, onDraft }: RowProps) {
  const { size } = useUnit();
  const { title, place } = finding;
  const to = pathTo(finding);
  const kind = finding.urgency === "now" ? "over" : finding.urgency === "soon" ? "part" : "unjudged";
  return (
    <Box
      component="li"
      aria-current={chosen || undefined}
      sx={{
        display: "grid",
        gridTemplateColumns: "22px minmax(150px, 1.15fr) minmax(180px, 1.9fr) minmax(110px, 0.8fr) 104px",
        gap: 1.25,
        alignItems: "center",
        p: "10px 14px",
        minHeight: 58,
        "& + &": { borderTop: "1px solid var(--line)" },
        background: chosen ? "var(--tideSoft)" : "none",
      }}
    >
      <Mark kind={kind} label={finding.urgency === "now" ? "needs you now" : "can wait"} />
      <div>
        <strong>{title}</strong>
        {fresh && <span style={{ color: "var(--buoyText)", fontSize: 12 }}> new</span>}
        <div className="mono" style={{ fontSize: 12, color: "var(--mute)" }}>
          {to ? <Link to={to}>{finding.subject}</Link> : finding.subject}
        </div>
      </div>
      <div>{said(finding.text, size)}</div>
      <div>
        <div style={{ color: "var(--mute)", fontSize: 12, display: "flex", alignItems: "baseline", gap: 4 }}>
          {named(finding.stage)} {mayChange && <PutOff finding={finding} />}
        </div>
        <strong>{said(finding.action, size)}</strong>
      </div>
      {finding.draft ? (
        <Button
          variant="outlined"
          onClick={onDraft}
          disabled={!mayChange || busy}
          aria-label={`Draft lot: ${title}, ${finding.label}`}
        >
          Draft lot
        </Button>
      ) : (
        place && (
          <Button
            component={Link}
            to={place}
            variant="outlined"
            aria-label={`Open: ${title}, ${finding.label}`}
          >
            Open
          </Button>
        )
      )}
    </Box>
  );
}

function FirstSteps() {
  return (
    <Box
      sx={{
        p: 3,
        border: "1px dashed var(--line)",
        borderRadius: "6px",
        background: "var(--card)",
        maxWidth: 620,
      }}
    >
      <Typography variant="h2" component="h2" sx={{ mb: 1 }}>
        No device is linked yet
      </Typography>
      <Typography sx={{ mb: 2 }}>
        Link an array and the hosts that use it. Move Lot shows each certificate's fingerprint for you to
        compare, reads the device, and lists here what wants attention.
      </Typography>
      <Button component={Link} to="/devices" variant="contained">
        Link a device
      </Button>
    </Box>
  );
}
