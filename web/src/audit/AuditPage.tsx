import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useDeferredValue, useState } from "react";
import { api, queryOptions, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { resultOf } from "../jobs/followed";
import { JobNote } from "../jobs/JobNote";
import { useJob } from "../jobs/useJob";
import { countOf } from "../parts/format";
import { Moment } from "../parts/Moment";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { PAGE, useServerRows } from "../parts/table/useServerRows";
import { useTableUrl } from "../parts/table/useTableUrl";
import { Page } from "../shell/Page";

type Entry = Schemas["Entry"];

const told = (value: unknown): string =>
  value === null || value === undefined || value === ""
    ? "none"
    : typeof value === "string"
      ? value
      : JSON.stringify(value);

const fieldsOf = (value: unknown): Record<string, unknown> =>
  typeof value === "object" && value !== null ? { ...value } : value === null ? {} : { value };

/** Each field that is another one after than before, in one line; all that were given where nothing was before. */
export function changeOf({ before, after }: Pick<Entry, "before" | "after">): string {
  const [was, is] = [fieldsOf(before), fieldsOf(after)];
  const names = [...new Set([...Object.keys(was), ...Object.keys(is)])];
  return names
    .filter((name) => told(was[name]) !== told(is[name]))
    .map((name) => `${name}: ${before === null ? "" : `${told(was[name])} → `}${told(is[name])}`)
    .join("; ");
}

const COLUMNS: readonly Column<Entry>[] = [
  {
    key: "at",
    head: "When",
    value: (entry) => entry.at,
    cell: (entry) => <Moment at={entry.at} />,
    width: 130,
    sortable: false,
    sticky: true,
  },
  {
    key: "who",
    head: "Who",
    value: (entry) => (entry.role ? `${entry.who}, ${entry.role}` : entry.who),
    width: 210,
    sortable: false,
  },
  { key: "address", head: "From", value: (entry) => entry.address, width: 110, mono: true, sortable: false },
  { key: "what", head: "What", value: (entry) => entry.what, width: 160, sortable: false },
  { key: "subject", head: "Of", value: (entry) => entry.subject, width: 170, sortable: false },
  {
    key: "after",
    head: "Changed",
    value: changeOf,
    cell: (entry) => <span title={changeOf(entry)}>{changeOf(entry)}</span>,
    sortable: false,
  },
];
const FILTERS = ["text"] as const;
const keyOf = (entry: Entry) => String(entry.id);

/** Who changed what, from where and when; nothing here can be changed. */
export function AuditPage() {
  const url = useTableUrl(FILTERS);
  const text = useDeferredValue(url.filters.text);
  const entries = useServerRows<Entry>(
    (page) => queryOptions("get", "/api/audit/", { params: { query: { page, page_size: PAGE, text } } }),
    url.at,
  );
  return (
    <Page
      title="Audit trail"
      note={
        <>
          <TextField
            fullWidth={false}
            sx={{ width: 240 }}
            label="Who, what or of what"
            value={url.filters.text}
            onChange={(event) => {
              url.filter("text", event.target.value);
            }}
          />
          <Proof />
        </>
      }
      actions={
        <>
          <Button component="a" href="/api/audit/export/?written_as=csv" variant="outlined">
            CSV
          </Button>
          <Button component="a" href="/api/audit/export/?written_as=jsonl" variant="outlined">
            JSON Lines
          </Button>
        </>
      }
    >
      <DataTable
        name="Audit trail"
        columns={COLUMNS}
        server={entries}
        url={url}
        rowKey={keyOf}
        empty={text ? "Nothing was done that is so called." : "Nobody has changed anything yet."}
      />
    </Page>
  );
}

/** Whether every entry is as it was written: computed anew by a job when asked for. */
function Proof() {
  const [found, setFound] = useState<{ entries: number; broken_at: number | null; cut: number } | null>(null);
  const proof = useJob({
    ask: () => unwrap(api.POST("/api/audit/proof/")),
    look: (job) => Promise.resolve(resultOf(job, "prove_trail")),
    onSuccess: setFound,
  });
  if (found)
    return found.broken_at === null ? (
      <Typography role="status">
        ■ whole: {countOf(found.entries, "entry is as it was", "entries are as they were")} written, and none
        is missing
        {found.cut > 0 && `; ${countOf(found.cut, "older one is", "older ones are")} no longer kept`}
      </Typography>
    ) : (
      <Typography role="status" sx={{ color: "var(--buoyText)" }}>
        ▲ {found.broken_at ? `entry ${String(found.broken_at)} was changed` : "the last entries are missing"}
      </Typography>
    );
  return (
    <>
      <ProblemAlert error={proof.error} />
      <Button
        variant="text"
        disabled={proof.isPending}
        onClick={() => {
          proof.start();
        }}
      >
        Prove that it is whole
      </Button>
      <JobNote job={proof} begun="Proving…" />
    </>
  );
}
