import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import { api, queryOptions, unwrap } from "../../api/client";
import type { Schemas } from "../../api/problem";
import { Mark } from "../../parts/Mark";
import { ProblemAlert } from "../../parts/ProblemAlert";
import type { Column } from "../../parts/table/columns";
import { DataTable } from "../../parts/table/DataTable";
import { useUnit } from "../../parts/unit";
import { useSession } from "../../shell/useSession";

type Grant = Schemas["GrantRow"];
const grantsQuery = () => queryOptions("get", "/api/attach/grants/");

/** What the storage team grants of each pool: they change it, the others see what they may use. */
export function Grants() {
  const { data: session } = useSession();
  const { size } = useUnit();
  const grants = useQuery(grantsQuery());
  const storage = session?.role === "storage";
  const columns = useMemo(() => columnsOf(size, storage), [size, storage]);
  if (grants.error) return <ProblemAlert error={grants.error} />;
  if (!grants.data?.length) return null;
  return (
    <DataTable
      name="Grants"
      title="Pools granted to virtualization"
      note={storage ? "" : "The storage team changes these; lots use granted pools only."}
      columns={columns}
      rows={grants.data}
      rowKey={(grant) => String(grant.pool)}
      empty="No pool is known."
    />
  );
}

function columnsOf(size: (bytes: number) => string, storage: boolean): Column<Grant>[] {
  const change: Column<Grant> = {
    key: "change",
    head: "Change",
    value: () => null,
    cell: (grant) => <ChangeGrant grant={grant} />,
    screenOnly: true,
  };
  return [
    { key: "pool", head: "Pool", value: (grant) => grant.name, cell: (grant) => <PoolCell grant={grant} /> },
    { key: "array", head: "Array", value: (grant) => grant.array },
    {
      key: "granted",
      head: "Granted",
      csv: "granted_bytes",
      value: (grant) => (grant.granted ? (grant.quota_bytes ?? grant.capacity_bytes) : null),
      cell: (grant) => wordsOf(grant, size),
      mono: true,
    },
    {
      key: "promised",
      head: "Promised of it",
      csv: "promised_bytes",
      value: (grant) => grant.promised_bytes,
      cell: (grant) => size(grant.promised_bytes),
      figures: true,
    },
    ...(storage ? [change] : []),
  ];
}

function wordsOf(grant: Grant, size: (bytes: number) => string): string {
  if (!grant.granted) return "not granted";
  if (grant.quota_bytes === null) return `whole pool, ${size(grant.capacity_bytes)}`;
  const more = isBeyond(grant) ? ", more than it has" : "";
  const used = isUsedUp(grant) ? ", used up" : "";
  return `${size(grant.quota_bytes)} of ${size(grant.capacity_bytes)}${more}${used}`;
}

/** Nothing is left of what was granted. */
const isUsedUp = ({ granted, quota_bytes, promised_bytes }: Grant) =>
  granted && quota_bytes !== null && promised_bytes >= quota_bytes;

/** More was granted than the pool holds: it shrank, or came so from a file. */
const isBeyond = ({ granted, quota_bytes, capacity_bytes }: Grant) =>
  granted && quota_bytes !== null && quota_bytes > capacity_bytes;

function PoolCell({ grant }: { grant: Grant }) {
  const [kind, word] = !grant.granted
    ? (["unjudged", "not granted"] as const)
    : isBeyond(grant)
      ? (["over", "more than it has"] as const)
      : isUsedUp(grant)
        ? (["part", "used up"] as const)
        : (["clear", "granted"] as const);
  return (
    <span title={grant.granted_by && `granted by ${grant.granted_by}`}>
      <Mark kind={kind} label={word} />{" "}
      <Link to={`/trace/pool/${String(grant.pool)}`} className="mono" style={{ fontWeight: 600 }}>
        {grant.name}
      </Link>
    </span>
  );
}

/** Buttons of a grant; pressed, a field for its quota. */
function ChangeGrant({ grant }: { grant: Grant }) {
  const { size } = useUnit();
  const queries = useQueryClient();
  const [quota, setQuota] = useState<string | null>(null);
  const path = { params: { path: { id: grant.pool } } };
  const done = () => {
    setQuota(null);
    void queries.invalidateQueries({ queryKey: grantsQuery().queryKey });
  };
  const put = useMutation({
    mutationFn: (wanted: string) =>
      unwrap(api.PUT("/api/attach/grants/{id}/", { ...path, body: { quota: wanted } })),
    onSuccess: done,
  });
  const withdraw = useMutation({
    mutationFn: () => unwrap(api.DELETE("/api/attach/grants/{id}/", path)),
    onSuccess: done,
  });
  if (quota === null)
    return (
      <>
        <Button
          size="small"
          aria-label={`Change the grant of ${grant.name}`}
          onClick={() => {
            setQuota(grant.quota_bytes === null ? "" : size(grant.quota_bytes));
          }}
        >
          {grant.granted ? "Change" : "Grant"}
        </Button>
        {grant.granted && (
          <Button
            size="small"
            aria-label={`Withdraw the grant of ${grant.name}`}
            disabled={withdraw.isPending}
            onClick={() => {
              withdraw.mutate();
            }}
          >
            Withdraw
          </Button>
        )}
        <ProblemAlert error={withdraw.error} />
      </>
    );
  return (
    <Box
      component="form"
      onSubmit={(event) => {
        event.preventDefault();
        put.mutate(quota);
      }}
      sx={{ display: "flex", flexWrap: "wrap", gap: 0.75 }}
    >
      <TextField
        label={`Quota of ${grant.name}`}
        value={quota}
        placeholder="empty: whole pool"
        autoFocus
        onChange={(event) => {
          setQuota(event.target.value);
        }}
        sx={{ width: 190 }}
      />
      <Button type="submit" variant="outlined" disabled={put.isPending}>
        Grant
      </Button>
      <Button
        onClick={() => {
          setQuota(null);
          put.reset();
        }}
      >
        Back
      </Button>
      <ProblemAlert error={put.error} />
    </Box>
  );
}
