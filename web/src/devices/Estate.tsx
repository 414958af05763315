import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useRef, useState } from "react";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { resultOf } from "../jobs/followed";
import { JobNote } from "../jobs/JobNote";
import { useJob } from "../jobs/useJob";
import { Panel } from "../parts/Panel";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { countOf } from "../parts/format";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";

type Fault = Schemas["Fault"];

/** The whole estate out as a Data Package, an estate without devices in, and metrics for it. */
export function Estate({ mayChange }: { mayChange: boolean }) {
  return (
    <Box sx={{ maxWidth: 900, mt: 2 }}>
      <Panel title="Estate as files" note="Data Package: datapackage.json and a CSV a table, zipped">
        <Box sx={{ p: 1.5, display: "grid", gap: 1.5 }}>
          <PackageOut />
          {mayChange && <PackageIn />}
          {mayChange && <MetricsIn />}
        </Box>
      </Panel>
    </Box>
  );
}

/** The estate as one file, which takes a while to write. */
function PackageOut() {
  const { size } = useUnit();
  const write = useJob({
    ask: () => unwrap(api.POST("/api/exchange/package/export/")),
    look: (job) => Promise.resolve(resultOf(job, "export_package")),
    onSuccess: (made) => {
      window.location.assign(made.file);
    },
  });
  return (
    <section aria-label="Export the estate">
      <Row>
        <Button
          variant="outlined"
          disabled={write.isPending}
          onClick={() => {
            write.start();
          }}
        >
          Take the estate out
        </Button>
        <Typography role="status">
          {write.found ? (
            <>
              Written, {size(write.found.size_bytes)}.{" "}
              <a href={write.found.file} download>
                Fetch it again
              </a>
            </>
          ) : (
            "Everything that is known, but for accounts and lots."
          )}
        </Typography>
        <JobNote job={write} begun="Writing…" />
      </Row>
      <ProblemAlert error={write.error} />
    </section>
  );
}

/** An estate from files: checked whole first, then taken in whole or not at all. */
function PackageIn() {
  const [file, setFile] = useState<File | null>(null);
  const queries = useQueryClient();
  const send = useJob({
    ask: ({ chosen, dryRun }: { chosen: File; dryRun: boolean }) => {
      const form = new FormData();
      form.append("file", chosen);
      form.append("dry_run", String(dryRun));
      return unwrap(
        api.POST("/api/exchange/package/", {
          // The schema knows a file as text; what goes over the wire is the form.
          body: { file: chosen.name, dry_run: dryRun },
          bodySerializer: () => form,
        }),
      );
    },
    look: (job) => Promise.resolve(resultOf(job, "import_package")),
    onSuccess: (answer) => {
      if (answer.imported) void queries.invalidateQueries();
    },
  });
  const found = send.found;
  return (
    <section aria-label="Import an estate">
      <Typography sx={{ mb: 0.75 }}>
        Import an estate whose devices cannot be linked. It replaces what was imported before; linked devices
        stay as they are. People carry its lots out by run sheets.
      </Typography>
      <Row>
        <Picker
          label="Choose a package"
          hint="Package to import"
          accept=".zip"
          take={(chosen) => {
            setFile(chosen);
            send.start({ chosen, dryRun: true });
          }}
        />
        <span className="mono">{file?.name}</span>
        {file && found && !found.imported && found.fault_count === 0 && (
          <Button
            variant="contained"
            disabled={send.isPending}
            onClick={() => {
              send.start({ chosen: file, dryRun: false });
            }}
          >
            Import
          </Button>
        )}
      </Row>
      <ProblemAlert error={send.error} />
      <JobNote job={send} begun="Sending the file…" />
      {found && !send.isPending && (
        <>
          <Typography role="status" sx={{ mt: 0.75 }}>
            {summaryOf(found)}
          </Typography>
          <Faults faults={found.faults} count={found.fault_count} />
        </>
      )}
    </section>
  );
}

const wrong = (count: number) => `${countOf(count, "value is", "values are")} wrong`;

/** What one row of a table is. */
const oneOf = (table: string) => table.replace(/ies$/, "y").replace(/s$/, "");

function summaryOf(found: Schemas["PackageAnswer"]): string {
  const rows = found.tables
    .map(({ rows, table }) => countOf(rows, oneOf(table.replace("_", " ")), table.replace("_", " ")))
    .join(", ");
  const grants = found.grants_left_out
    ? ` ${countOf(found.grants_left_out, "grant")} left out: the storage team grants pools.`
    : "";
  if (found.imported) return `Imported: ${rows}.${grants}`;
  if (found.fault_count) return `${wrong(found.fault_count)}; nothing was imported.`;
  return `Nothing is wrong. It holds ${rows}.${grants}`;
}

/** Samples measured elsewhere: taken in whole or not at all. */
function MetricsIn() {
  const queries = useQueryClient();
  const send = useJob({
    ask: async (file: File) => {
      const written = /\.csv$/i.test(file.name) ? "csv" : "openmetrics";
      return unwrap(
        api.POST("/api/exchange/metrics/", { body: { text: await file.text(), written_as: written } }),
      );
    },
    look: (job) => Promise.resolve(resultOf(job, "import_metrics")),
    onSuccess: () => void queries.invalidateQueries(),
  });
  const taken = send.found;
  return (
    <section aria-label="Take metrics in">
      <Row>
        <Picker
          label="Choose metrics"
          hint="Metrics to take in"
          accept=".csv,.txt,.prom"
          take={(file) => {
            send.start(file);
          }}
        />
        <span style={{ color: "var(--mute)" }}>
          CSV with metric,subject,time,value, or OpenMetrics text: loads of disks, latency of pools
        </span>
      </Row>
      <JobNote job={send} begun="Sending the file…" />
      <ProblemAlert error={send.error} />
      {taken && (
        <>
          <Typography role="status">
            {taken.fault_count
              ? `${wrong(taken.fault_count)}; no sample was taken in.`
              : `${countOf(taken.samples, "sample")} taken in.`}
          </Typography>
          <Faults faults={taken.faults} count={taken.fault_count} />
        </>
      )}
    </section>
  );
}

function Row({ children }: { children: ReactNode }) {
  return <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>{children}</Box>;
}

interface PickerProps {
  label: string;
  hint: string;
  accept: string;
  take: (file: File) => void;
}

/** A button that opens the choice of a file; the same file can be chosen again after it was mended. */
function Picker({ label, hint, accept, take }: PickerProps) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button
        variant="outlined"
        onClick={() => {
          input.current?.click();
        }}
      >
        {label}
      </Button>
      <input
        ref={input}
        type="file"
        hidden
        accept={accept}
        aria-label={hint}
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = "";
          if (file) take(file);
        }}
      />
    </>
  );
}

type Numbered = Fault & { key: string };

const cell = (key: "file" | "row" | "column" | "value" | "expected", head: string): Column<Numbered> => ({
  key,
  head,
  value: (fault) => fault[key] ?? "all",
  mono: key !== "expected",
});
const COLUMNS = [
  cell("file", "File"),
  cell("row", "Row"),
  cell("column", "Column"),
  cell("value", "Value"),
  cell("expected", "Expected"),
];
const keyOf = (fault: Numbered) => fault.key;

/** What is wrong, where, and what was expected; all of it can be saved for whoever keeps the files. */
function Faults({ faults, count }: { faults: readonly Fault[]; count: number }) {
  if (count === 0) return null;
  const rows = faults.map((fault, n): Numbered => ({ ...fault, key: String(n) }));
  return (
    <DataTable
      name="What is wrong"
      title="What is wrong"
      note={count > faults.length ? `The first ${String(faults.length)} of ${String(count)} are listed.` : ""}
      columns={COLUMNS}
      rows={rows}
      rowKey={keyOf}
      empty="Nothing is wrong."
    />
  );
}
