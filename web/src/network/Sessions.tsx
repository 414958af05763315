import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Schemas } from "../api/problem";
import { useDraft } from "../lots/useDraft";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useSession } from "../shell/useSession";

type Row = Schemas["SessionRow"];

interface SessionsProps {
  cluster: string;
  array: string;
  rows: readonly Row[];
}

const METHODS: Record<string, string> = {
  off: "off",
  "one-way": "one-way: the array asks the host",
  mutual: "mutual: both ask one another",
};

/** What to say of a row's CHAP, as a shape and words. */
const chapState = (row: Row): string => {
  if (row.on_host !== row.on_array) return `▲ array asks ${row.on_array}, host gives ${row.on_host}`;
  return row.on_array === "off" ? "◇ off" : `■ ${row.on_array}`;
};

/** iSCSI sessions of a cluster's hosts with an array, and the CHAP of both sides, set by one lot. */
export function Sessions({ cluster, array, rows }: SessionsProps) {
  const [method, setMethod] = useState("mutual");
  const [renew, setRenew] = useState(false);
  const { data: session } = useSession();
  const draft = useDraft();
  if (rows.length === 0) return null;
  return (
    <Box sx={{ mt: 2 }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mb: 1, flexWrap: "wrap" }}>
        <Typography variant="h2" component="h2" sx={{ flex: 1 }}>
          iSCSI sessions and CHAP
        </Typography>
        <TextField
          select
          label="CHAP"
          value={method}
          sx={{ width: 250 }}
          onChange={(event) => {
            setMethod(event.target.value);
          }}
        >
          {Object.entries(METHODS).map(([name, text]) => (
            <MenuItem key={name} value={name}>
              {text}
            </MenuItem>
          ))}
        </TextField>
        <FormControlLabel
          control={
            <Checkbox
              checked={renew}
              size="small"
              disabled={method === "off"}
              onChange={(event) => {
                setRenew(event.target.checked);
              }}
            />
          }
          label="new secrets where it is set already"
        />
        <Button
          variant="outlined"
          disabled={!session?.may_change || draft.isPending}
          onClick={() => {
            draft.mutate({
              kind: "chap",
              form: { cluster, array, method, renew: renew && method !== "off" },
            });
          }}
        >
          Draft lot
        </Button>
      </Box>
      <ProblemAlert error={draft.error} />
      <Table
        size="small"
        aria-label="iSCSI sessions and CHAP"
        sx={{ background: "var(--card)", border: "1px solid var(--line)" }}
      >
        <TableHead>
          <TableRow>
            {["Host", "Target", "Sessions", "CHAP"].map((head) => (
              <TableCell key={head}>{head}</TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {rows.map((row) => (
            <TableRow key={row.host}>
              <TableCell>{row.host}</TableCell>
              <TableCell className="mono">{row.target}</TableCell>
              <TableCell>
                {row.sessions < row.possible ? "□" : "■"} <span className="mono">{row.sessions}</span> of{" "}
                <span className="mono">{Math.max(row.possible, row.sessions)}</span> possible
              </TableCell>
              <TableCell sx={row.on_host === row.on_array ? {} : { color: "var(--buoyText)" }}>
                {chapState(row)}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      <Typography color="textSecondary" sx={{ mt: 0.5 }}>
        A lot makes the secrets, tells both sides, and logs in again. Nobody has to type or know them.
      </Typography>
    </Box>
  );
}
