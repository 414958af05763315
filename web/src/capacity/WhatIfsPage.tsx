import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";
import { api, unwrap } from "../api/client";
import { AskedButton } from "../parts/AskedButton";
import { CARD, CardHead } from "../parts/CardHead";
import { CsvButton } from "../parts/CsvButton";
import { Moment } from "../parts/Moment";
import { useUnit } from "../parts/unit";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { comparedQuery, type Ends, type Kind, kindOf, KINDS, type KeptWhatIf, whatIfsQuery } from "./queries";
import { runwayText } from "./runways";
import { ToldBy } from "./ToldBy";

/** What is kept of what people asked, and all of it side by side. */
export function WhatIfsPage() {
  const [params, setParams] = useSearchParams();
  const by = kindOf(params.get("by"));
  const { data: kept, error } = useQuery(whatIfsQuery());
  return (
    <Page
      title="What ifs"
      stage="capacity"
      error={error}
      loading={!kept}
      note={
        <ToldBy
          kinds={Object.keys(KINDS) as Kind[]}
          by={by}
          choose={(kind) => {
            setParams({ by: kind }, { replace: true });
          }}
        />
      }
    >
      {kept?.length === 0 && (
        <Typography color="textSecondary">
          Nothing is kept yet: ask on <Link to="/capacity">Capacity</Link> what if something happened, and
          keep it there under a name. All that is kept is compared here.
        </Typography>
      )}
      {kept && kept.length > 0 && (
        <>
          <KeptList kept={kept} />
          <Compared by={by} />
        </>
      )}
    </Page>
  );
}

/** Each that is kept: what happens in it, by whom, and a way to open or delete it. */
function KeptList({ kept }: { kept: readonly KeptWhatIf[] }) {
  const { data: session } = useSession();
  return (
    <Box component="section" aria-label="Kept" sx={CARD}>
      <CardHead title="Kept">
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          for everybody; answers are of the last reading
        </span>
      </CardHead>
      {kept.map((row) => (
        <Box
          key={row.id}
          sx={{
            display: "grid",
            gridTemplateColumns: "minmax(130px, 190px) minmax(220px, 1fr) 200px 100px",
            columnGap: 1.5,
            alignItems: "center",
            p: "6px 12px",
            borderTop: "1px solid var(--line)",
          }}
        >
          <Link to={`/capacity?if=${String(row.id)}`}>{row.name}</Link>
          <span>{row.said.join("; ") || "as it is"}</span>
          <span style={{ color: "var(--mute)", fontSize: 12 }}>
            {row.made_by}, <Moment at={row.made_at} />
          </span>
          {session?.may_change ? (
            <AskedButton
              label="Delete"
              subject={row.name}
              act="Delete it"
              change={() =>
                unwrap(api.DELETE("/api/capacity/what-ifs/{id}/", { params: { path: { id: row.id } } }))
              }
            >
              Nobody can compare it any more.
            </AskedButton>
          ) : (
            <span />
          )}
        </Box>
      ))}
    </Box>
  );
}

/** A row for each thing of a kind: when its ceiling is reached as it is, and by each what-if. */
function Compared({ by }: { by: Kind }) {
  const { data, error } = useQuery(comparedQuery(by));
  if (!data) return error ? <Typography color="error">{error.title}</Typography> : null;
  const heads = ["as it is", ...data.names];
  const grid = `minmax(150px, 1.2fr) repeat(${String(heads.length)}, minmax(150px, 1fr))`;
  return (
    <Box component="section" aria-label="Compared" sx={{ ...CARD, mt: 1.5, overflowX: "auto" }}>
      <CardHead title="Compared">
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          when the fill ceiling is reached, 80 % sure
        </span>
        <span style={{ marginLeft: "auto" }}>
          <CsvButton
            name={`what ifs by ${by}`}
            heads={[
              "name",
              ...heads.flatMap((head) =>
                ["at least", "likely", "at most"].map((end) => `${head}: days, ${end}`),
              ),
            ]}
            rows={() =>
              data.rows.map((row) => [
                row.name,
                ...[row.now, ...row.then].flatMap((ends) => [ends.early, ends.likely, ends.late]),
              ])
            }
          />
        </span>
      </CardHead>
      {data.problems.map((problem) => (
        <Typography key={problem} sx={{ p: "4px 12px", color: "var(--buoyText)" }}>
          ▲ {problem}
        </Typography>
      ))}
      <Box role="table" aria-label={`What ifs by ${by}`} sx={{ minWidth: 150 * (heads.length + 1) }}>
        <Box role="row" sx={{ ...LINE, gridTemplateColumns: grid, color: "var(--mute)", fontSize: 12 }}>
          <span role="columnheader">{by}</span>
          {heads.map((head) => (
            <span key={head} role="columnheader">
              {head}
            </span>
          ))}
        </Box>
        {data.rows.map((row) => (
          <Box key={row.id} role="row" sx={{ ...LINE, gridTemplateColumns: grid }}>
            <span role="rowheader">
              <b>{row.name}</b> <span style={{ color: "var(--mute)", fontSize: 12 }}>{row.of}</span>
            </span>
            <End ends={row.now} told={row.told} />
            {row.then.map((ends, place) => (
              <End key={heads[place + 1]} ends={ends} told={row.told} before={row.now} />
            ))}
          </Box>
        ))}
      </Box>
    </Box>
  );
}

const LINE = {
  display: "grid",
  columnGap: 1.5,
  alignItems: "center",
  p: "5px 12px",
  borderTop: "1px solid var(--line)",
} as const;

/** When a ceiling is reached; marked where it comes sooner, or later, than as it is. */
function End({ ends, told, before }: { ends: Ends; told: boolean; before?: Ends }) {
  const { size } = useUnit();
  if (!ends.there)
    return (
      <span role="cell" style={{ color: "var(--mute)" }}>
        retired
      </span>
    );
  const change = before ? likely(ends) - likely(before) : 0;
  const mark = change < 0 ? "▼ " : change > 0 ? "△ " : "";
  return (
    <span role="cell" style={{ color: change < 0 ? "var(--buoyText)" : "inherit" }}>
      <span className="mono" style={{ fontSize: 12 }}>
        {mark}
        {runwayText({ ...ends, told })}
      </span>
      <span style={{ display: "block", color: "var(--mute)", fontSize: 12 }}>
        {size(ends.used_bytes)} of {size(ends.capacity_bytes)}
      </span>
    </span>
  );
}

const likely = (ends: Ends): number => ends.likely ?? Number.MAX_SAFE_INTEGER;
