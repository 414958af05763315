import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, unwrap } from "../api/client";
import { AskedButton } from "../parts/AskedButton";
import { CARD, CardHead } from "../parts/CardHead";
import { countOf } from "../parts/format";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { type Rule, rulesQuery } from "./queries";
import { RuleEditor } from "./RuleEditor";

/** Rules: which disks lie apart and which together, how each stands, and writing them. */
export function RulesPage() {
  const { data: rules, error } = useQuery(rulesQuery());
  const { data: session } = useSession();
  const [edited, setEdited] = useState<number | null>(null);
  const mayChange = session?.may_change ?? false;
  const rule = rules?.find((each) => each.id === edited);
  const broken = rules?.filter((each) => each.standing.some(({ out }) => out > 0)).length ?? 0;
  return (
    <Page
      title="Rules"
      stage="balance"
      error={error}
      loading={!rules}
      note={rules && <Count rules={rules.length} broken={broken} />}
    >
      {rules && (
        <Box
          sx={{
            display: "grid",
            gridTemplateColumns: mayChange ? { xs: "1fr", md: "320px minmax(0, 1fr)" } : "1fr",
            gap: 2,
            alignItems: "start",
          }}
        >
          {mayChange && (
            <RuleEditor
              key={rule ? `${String(rule.id)} ${String(rule.number)}` : "new"}
              rule={rule}
              close={() => {
                setEdited(null);
              }}
            />
          )}
          <Box component="section" aria-label="Rules" sx={CARD}>
            <CardHead title="All rules">
              <span style={{ color: "var(--mute)", fontSize: 12 }}>
                every plan keeps them, and mends those that are broken
              </span>
            </CardHead>
            {rules.length === 0 && <None />}
            {rules.map((each) => (
              <RuleRow key={each.id} rule={each} mayChange={mayChange} edit={setEdited} />
            ))}
          </Box>
        </Box>
      )}
    </Page>
  );
}

function Count({ rules, broken }: { rules: number; broken: number }) {
  return (
    <Typography color="textSecondary">
      {countOf(rules, "rule")}
      {broken > 0 && ` · ${String(broken)} broken`}
    </Typography>
  );
}

function None() {
  return (
    <Typography color="textSecondary" sx={{ p: 1.5 }}>
      There is none yet. A rule keeps the disks of two database nodes apart, so that one datastore or pool
      less does not take both, or the disks of an application together.
    </Typography>
  );
}

interface RowProps {
  rule: Rule;
  mayChange: boolean;
  edit: (id: number) => void;
}

function RuleRow({ rule, mayChange, edit }: RowProps) {
  return (
    <Box
      role="group"
      aria-label={rule.name}
      sx={{
        display: "grid",
        gridTemplateColumns: "minmax(90px, 170px) minmax(120px, 1fr) minmax(100px, 220px) auto",
        columnGap: 1.5,
        alignItems: "start",
        p: "8px 12px",
        borderTop: "1px solid var(--line)",
      }}
    >
      <strong style={{ overflowWrap: "anywhere" }}>{rule.name}</strong>
      <span style={{ overflowWrap: "anywhere" }}>{rule.sentence}</span>
      <Stands rule={rule} />
      {mayChange ? (
        <Box sx={{ display: "flex", gap: 0.5, alignItems: "start" }}>
          <Button
            size="small"
            aria-label={`Change ${rule.name}`}
            onClick={() => {
              edit(rule.id);
            }}
          >
            Change
          </Button>
          <AskedButton
            label="Take back"
            subject={rule.name}
            act="Take it back"
            change={() =>
              unwrap(
                api.DELETE("/api/balance/rules/{id}/", {
                  params: { path: { id: rule.id }, header: { "If-Match": `"${String(rule.number)}"` } },
                }),
              )
            }
          >
            No plan keeps it any more; disks stay where they are.
          </AskedButton>
        </Box>
      ) : (
        <span />
      )}
    </Box>
  );
}

/** How a rule stands, group by group. */
function Stands({ rule }: { rule: Rule }) {
  if (!rule.standing.length)
    return <span style={{ color: "var(--mute)" }}>◇ no group has disks of it to keep, as last judged</span>;
  return (
    <div>
      {rule.standing.map(({ group, disks, out }) => (
        <div key={group} style={{ color: out ? "var(--buoyText)" : "inherit" }}>
          {out ? "▲ " : "■ "}
          <Link to={`/balance/${encodeURIComponent(group)}`} style={{ color: "inherit" }}>
            {group}
          </Link>
          {out
            ? `: ${String(out)} of ${countOf(disks, "disk")} out of it`
            : `: kept by ${countOf(disks, "disk")}`}
        </div>
      ))}
    </div>
  );
}
