import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";
import { Mark } from "../parts/Mark";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { useSession } from "../shell/useSession";

type Grant = Schemas["GrantRow"];
const KEY = ["grants"];

/** What the storage team grants of each pool: they change it, the others see what they may use. */
export function Grants() {
  const { data: session } = useSession();
  const grants = useQuery({ queryKey: KEY, queryFn: () => unwrap(api.GET("/api/attach/grants/")) });
  if (grants.error) return <ProblemAlert error={grants.error} />;
  if (!grants.data?.length) return null;
  const storage = session?.role === "storage";
  return (
    <Box component="section" aria-label="Pools granted" sx={{ mt: 2.5 }}>
      <Typography variant="h2" component="h2" sx={{ mb: 1 }}>
        Pools granted to virtualization
      </Typography>
      <Table
        size="small"
        aria-label="Grants"
        sx={{ background: "var(--card)", border: "1px solid var(--line)" }}
      >
        <TableHead>
          <TableRow>
            {["Pool", "Array", "Granted", "Promised of it", "By", ""].map((head) => (
              <TableCell key={head}>{head}</TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {grants.data.map((grant) => (
            <GrantLine key={grant.pool} grant={grant} editable={storage} />
          ))}
        </TableBody>
      </Table>
      {!storage && (
        <Typography color="textSecondary" sx={{ mt: 0.75 }}>
          The storage team changes these; lots use granted pools only.
        </Typography>
      )}
    </Box>
  );
}

function GrantLine({ grant, editable }: { grant: Grant; editable: boolean }) {
  const { size } = useUnit();
  const queries = useQueryClient();
  const path = { params: { path: { id: grant.pool } } };
  const done = () => {
    setQuota(null);
    void queries.invalidateQueries({ queryKey: KEY });
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
    <TableRow>
      <TableCell>
        <Link to={`/trace/pool/${String(grant.pool)}`}>{grant.name}</Link>
      </TableCell>
      <TableCell>{grant.array}</TableCell>
      <TableCell>
        <Mark kind={grant.granted ? "clear" : "unjudged"} label={grant.granted ? "granted" : "not granted"} />{" "}
        {words}
        <ProblemAlert error={put.error ?? withdraw.error} />
      </TableCell>
      <TableCell className="mono">{size(grant.promised_bytes)}</TableCell>
      <TableCell>{grant.granted_by}</TableCell>
      <TableCell align="right">
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
      </TableCell>
    </TableRow>
  );
}
