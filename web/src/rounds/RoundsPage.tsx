import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useNavigate } from "react-router";
import { useDraft } from "../lots/useDraft";
import { countOf, formatDay, formatMoment } from "../parts/format";
import { Mark } from "../parts/Mark";
import { Moment } from "../parts/Moment";
import { useNow } from "../parts/useNow";
import { useUnit } from "../parts/unit";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { useShortcuts } from "../shell/useShortcuts";
import { useStatus } from "../shell/useStatus";
import { FirstHour } from "./FirstHour";
import { foldFindings, type Row } from "./folding";
import { PutOff } from "./PutOff";
import { PutOffList } from "./PutOffList";
import { type Finding, roundsQuery } from "./queries";
import { newOnes, pathTo, said } from "./words";

const named = (stage: string) => stage.charAt(0).toUpperCase() + stage.slice(1);
const NOTHING: readonly Finding[] = [];
/** Rows drawn at once; more on demand. */
const ROWS = 60;

/** The first page: what wants attention today, most urgent first. */
export function RoundsPage() {
  const { data, error } = useQuery(roundsQuery());
  const { data: status } = useStatus();
  const now = useNow(30_000);
  const draft = useDraft();
  const { data: session } = useSession();
  const findings = data?.findings ?? NOTHING;
  const rows = useMemo(() => foldFindings(findings), [findings]);
  const mayChange = session?.may_change ?? false;
  const chosen = useChosenRow(rows, (row) => {
    if (row.first.draft && mayChange && !draft.isPending) draft.mutate(row.first.draft);
  });
  const [shown, setShown] = useState(ROWS);
  const urgent = findings.filter((finding) => finding.urgency === "now").length;
  const fresh = newOnes(findings, now);
  return (
    <Page
      title="Rounds"
      error={error ?? draft.error}
      loading={!data}
      note={
        <Typography color="textSecondary">
          {formatDay(now)} ·{" "}
          {data
            ? `${countOf(urgent, "needs", "need")} you today, ${String(findings.length - urgent)} can wait${fresh.size ? `, ${String(fresh.size)} new since yesterday` : ""}`
            : "looking through the readings …"}
        </Typography>
      }
      actions={
        data?.last_lot && (
          <Typography color="textSecondary">
            <Link to={`/lots/${String(data.last_lot.id)}`}>Last lot</Link> {data.last_lot.state}{" "}
            <Moment at={data.last_lot.ended_at} />, {countOf(data.last_lot.steps, "step")}
          </Typography>
        )
      }
    >
      {data && data.first_hour.length > 0 && <FirstHour steps={data.first_hour} />}
      {rows.length > 0 && (
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
            containerType: "inline-size",
          }}
        >
          {rows.slice(0, shown).map((row) => (
            <FindingRow
              key={row.key}
              row={row}
              fresh={fresh}
              chosen={row.key === chosen?.key}
              mayChange={mayChange}
              onDraft={() => {
                if (row.first.draft) draft.mutate(row.first.draft);
              }}
              busy={draft.isPending}
            />
          ))}
        </Box>
      )}
      {rows.length > shown && (
        <Button
          sx={{ mt: 1 }}
          onClick={() => {
            setShown(shown + ROWS);
          }}
        >
          Show {Math.min(ROWS, rows.length - shown)} more of {rows.length}
        </Button>
      )}
      <PutOffList findings={data?.put_off ?? NOTHING} mayChange={mayChange} />
      {data && status && status.devices > 0 && (
        <Typography color="textSecondary" sx={{ mt: 1.5 }}>
          {rows.length ? "Everything else is quiet" : "All is quiet"}:{" "}
          {countOf(data.quiet.datastores, "datastore")}, {countOf(data.quiet.hosts, "host")},{" "}
          {countOf(data.quiet.disks, "disk")}
          {status.oldest_reading_at ? `, read ${formatMoment(status.oldest_reading_at, now)}` : ""}.
        </Typography>
      )}
    </Page>
  );
}

/** The row that keys act on. It is kept by what it is, so that a poll that brings others leaves it chosen. */
function useChosenRow(rows: readonly Row[], onDraft: (row: Row) => void): Row | undefined {
  const [key, setKey] = useState<string | null>(null);
  const navigate = useNavigate();
  const found = rows.findIndex((row) => row.key === key);
  const at = Math.max(found, 0);
  const chosen = rows[at];
  const go = (by: number) => {
    const next = rows[Math.min(Math.max(at + by, 0), rows.length - 1)];
    if (next) setKey(next.key);
  };
  useShortcuts({
    j: () => {
      go(1);
    },
    k: () => {
      go(-1);
    },
    d: () => {
      if (chosen) onDraft(chosen);
    },
    t: () => {
      const to = chosen && pathTo(chosen.first);
      if (to) void navigate(to);
    },
  });
  return chosen;
}

interface RowProps {
  row: Row;
  fresh: ReadonlySet<number>;
  chosen: boolean;
  mayChange: boolean;
  busy: boolean;
  onDraft: () => void;
}

const MARKS = { now: "over", soon: "part", note: "unjudged" } as const;

function FindingRow({ row, fresh, chosen, mayChange, busy, onDraft }: RowProps) {
  const { size } = useUnit();
  const { first } = row;
  return (
    <Box
      component="li"
      aria-current={chosen || undefined}
      sx={{
        display: "grid",
        gridTemplateColumns: "22px minmax(0, 3fr) minmax(110px, 0.8fr) 104px",
        gap: 1.25,
        alignItems: "center",
        p: "8px 14px",
        minHeight: 54,
        "& + &": { borderTop: "1px solid var(--line)" },
        background: chosen ? "var(--tideSoft)" : "none",
        // At 640 px, or beside the tray: what to do stands beneath what is wrong.
        "@container (max-width: 640px)": {
          gridTemplateColumns: "22px minmax(0, 1fr) 104px",
          "& > .what-to-do": { gridColumn: "2 / 3", gridRow: 2 },
        },
      }}
    >
      <Mark kind={MARKS[first.urgency]} label={first.urgency === "now" ? "needs you now" : "can wait"} />
      <Box sx={{ display: "grid", gap: 0.75, minWidth: 0 }}>
        {row.kinds.map((findings) => (
          <KindLine key={findings[0]?.kind} findings={findings} fresh={fresh} />
        ))}
      </Box>
      <div className="what-to-do">
        <div style={{ color: "var(--mute)", fontSize: 12, display: "flex", alignItems: "baseline", gap: 4 }}>
          {named(first.stage)} {mayChange && <PutOff findings={row.kinds.flat()} />}
        </div>
        <strong>{said(first.action, size)}</strong>
        {row.count > 1 && (
          <div style={{ fontSize: 12, color: "var(--mute)" }}>settles {countOf(row.count, "finding")}</div>
        )}
      </div>
      {first.draft ? (
        <Button
          variant="outlined"
          onClick={onDraft}
          disabled={!mayChange || busy}
          aria-label={`Draft lot: ${first.title}, ${first.label}`}
        >
          Draft lot
        </Button>
      ) : (
        first.place && (
          <Button
            component={Link}
            to={first.place}
            variant="outlined"
            aria-label={`Open: ${first.title}, ${first.label}`}
          >
            Open
          </Button>
        )
      )}
    </Box>
  );
}

const SUBJECTS = 4;

/** Findings of one kind in a row: what it is, of what, and what is said of the worst of them. */
function KindLine({ findings, fresh }: { findings: readonly Finding[]; fresh: ReadonlySet<number> }) {
  const { size } = useUnit();
  const [all, setAll] = useState(false);
  const [first] = findings;
  if (!first) return null;
  const named = all ? findings : findings.slice(0, SUBJECTS);
  const more = findings.length - named.length;
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: "minmax(140px, 1.15fr) minmax(0, 1.9fr)",
        gap: 1.25,
        alignItems: "center",
        "@container (max-width: 520px)": { gridTemplateColumns: "minmax(0, 1fr)", gap: 0.25 },
      }}
    >
      <div>
        <strong>{first.title}</strong>
        {findings.some((finding) => fresh.has(finding.id)) && (
          <span style={{ color: "var(--buoyText)", fontSize: 12 }}> new</span>
        )}
        <div className="mono" style={{ fontSize: 12, color: "var(--mute)", overflowWrap: "anywhere" }}>
          {named.map((finding, n) => (
            <span key={finding.id}>
              {n > 0 && ", "}
              <SubjectLink finding={finding} />
            </span>
          ))}
          {more > 0 && (
            <Button
              size="small"
              sx={{ p: "0 4px", minWidth: 0, minHeight: 0, fontSize: 12, fontWeight: 400 }}
              onClick={() => {
                setAll(true);
              }}
            >
              and {more} more
            </Button>
          )}
        </div>
      </div>
      <div>
        {findings.length > 1 && <span style={{ color: "var(--mute)" }}>{first.subject}: </span>}
        {said(first.text, size)}
      </div>
    </Box>
  );
}

function SubjectLink({ finding }: { finding: Finding }) {
  const to = pathTo(finding);
  return (
    <>
      {to ? <Link to={to}>{finding.subject}</Link> : finding.subject}
      {finding.of && <span style={{ color: "var(--mute)" }}> of {finding.of}</span>}
    </>
  );
}
