import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, queryOptions, unwrap } from "../../api/client";
import type { Schemas } from "../../api/problem";
import { Panel } from "../../parts/Panel";
import { Mark } from "../../parts/Mark";
import { ProblemAlert } from "../../parts/ProblemAlert";
import { useUnit } from "../../parts/unit";
import { useSession } from "../../shell/useSession";

type Grant = Schemas["GrantRow"];
const grantsQuery = () => queryOptions("get", "/api/attach/grants/");

/** What the storage team grants of each pool: they change it, the others see what they may use. */
export function Grants() {
  const { data: session } = useSession();
  const grants = useQuery(grantsQuery());
  if (grants.error) return <ProblemAlert error={grants.error} />;
  if (!grants.data?.length) return null;
  const storage = session?.role === "storage";
  const over = grants.data.flatMap((grant) => overOf(grant) ?? []);
  return (
    <Panel title="Pools granted to virtualization" note="promised of it at the right">
      <table aria-label="Grants" style={{ borderCollapse: "collapse", width: "100%", fontSize: 13 }}>
        <thead style={VISUALLY_HIDDEN}>
          <tr>
            {["Pool", "Granted", "Promised of it", "Change"].map((head) => (
              <th key={head}>{head}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {grants.data.map((grant) => (
            <GrantLine key={grant.pool} grant={grant} editable={storage} />
          ))}
        </tbody>
      </table>
      <Typography color="textSecondary" sx={{ p: "8px 14px", fontSize: 12.5 }}>
        {over.map((text) => `${text} `)}
        {!storage && "The storage team changes these; lots use granted pools only."}
      </Typography>
    </Panel>
  );
}

const VISUALLY_HIDDEN = {
  position: "absolute",
  width: 1,
  height: 1,
  overflow: "hidden",
  clipPath: "inset(50%)",
} as const;

/** What is wrong with a grant, if anything is. */
function overOf(grant: Grant): string | null {
  if (!grant.granted) return null;
  if (grant.quota_bytes === null || grant.promised_bytes < grant.quota_bytes) return null;
  return `${grant.name}: nothing is left of its grant.`;
}

const CELL = { padding: "7px 14px", verticalAlign: "top" } as const;

function GrantLine({ grant, editable }: { grant: Grant; editable: boolean }) {
  const { size } = useUnit();
  const queries = useQueryClient();
  const path = { params: { path: { id: grant.pool } } };
  const done = () => {
    setQuota(null);
    void queries.invalidateQueries({ queryKey: grantsQuery().queryKey });
  };
  const put = useMutation({
    mutationFn: (quota: string) => unwrap(api.PUT("/api/attach/grants/{id}/", { ...path, body: { quota } })),
    onSuccess: done,
  });
  const withdraw = useMutation({
    mutationFn: () => unwrap(api.DELETE("/api/attach/grants/{id}/", path)),
    onSuccess: done,
  });
  const [quota, setQuota] = useState<string | null>(null);
  const words = !grant.granted
    ? "not granted"
    : grant.quota_bytes === null
      ? `whole pool, ${size(grant.capacity_bytes)}`
      : `${size(grant.quota_bytes)} of ${size(grant.capacity_bytes)}`;
  return (
    <tr style={{ borderTop: "1px solid var(--line)" }}>
      <td style={CELL}>
        <Mark
          kind={!grant.granted ? "unjudged" : overOf(grant) ? "part" : "clear"}
          label={!grant.granted ? "not granted" : overOf(grant) ? "used up" : "granted"}
        />{" "}
        <Link to={`/trace/pool/${String(grant.pool)}`} className="mono" style={{ fontWeight: 600 }}>
          {grant.name}
        </Link>
        <span
          style={{ color: "var(--mute)", fontSize: 12, marginLeft: 8 }}
          title={grant.granted_by && `granted by ${grant.granted_by}`}
        >
          {grant.array}
        </span>
      </td>
      <td className="mono" style={CELL}>
        {words}
        <ProblemAlert error={put.error ?? withdraw.error} />
      </td>
      <td className="mono" style={{ ...CELL, textAlign: "right" }}>
        {size(grant.promised_bytes)}
      </td>
      <td style={{ ...CELL, textAlign: "right" }}>
        {editable && quota === null && (
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
          </>
        )}
        {quota !== null && (
          <Box
            component="form"
            onSubmit={(event) => {
              event.preventDefault();
              put.mutate(quota);
            }}
            sx={{ display: "flex", gap: 0.75, justifyContent: "flex-end" }}
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
          </Box>
        )}
      </td>
    </tr>
  );
}
