import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/problem";
import { useGroups } from "../balance/useGroups";

interface HeadProps {
  id: number;
  title: string;
  state: string;
  fixed: boolean;
  children?: ReactNode;
}

/** The heading of an attach draft, and why it cannot be changed where it cannot. */
export function DraftHead({ id, title, state, fixed, children }: HeadProps) {
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mb: 1.5 }}>
      <Typography variant="h1">{title}</Typography>
      {children}
      {fixed && (
        <Typography color="textSecondary">
          {state === "draft" ? (
            "Your role reads only."
          ) : (
            <>
              Lot {id} is {state}. <Link to="/attach">Attach another</Link>
            </>
          )}
        </Typography>
      )}
    </Box>
  );
}

interface ClusterProps {
  cluster: string;
  fixed: boolean;
  choose: (cluster: string) => void;
}

/** The cluster whose hosts get the storage. */
export function ClusterSelect({ cluster, fixed, choose }: ClusterProps) {
  const { data: groups } = useGroups();
  const clusters = new Set([...(groups ?? []).map((group) => group.name), cluster]);
  return (
    <TextField
      select
      label="Cluster"
      value={cluster}
      disabled={fixed}
      onChange={(event) => {
        choose(event.target.value);
      }}
    >
      {[...clusters].map((name) => (
        <MenuItem key={name} value={name}>
          {name || "none"}
        </MenuItem>
      ))}
    </TextField>
  );
}

interface FixablesProps {
  plan: Pick<Schemas["AttachPlan"], "board" | "fixable">;
  fixed: boolean;
  add: (host: string) => void;
}

/** Hosts that would miss paths, each with what the lot can do about it first. */
export function Fixables({ plan, fixed, add }: FixablesProps) {
  return (
    <>
      {plan.fixable.map(({ host, text }) => (
        <Box
          key={host}
          sx={{
            display: "flex",
            gap: 1.5,
            alignItems: "center",
            p: 1.25,
            border: "1px solid var(--brass)",
            borderRadius: "6px",
            background: "var(--brassSoft)",
          }}
        >
          <span style={{ flex: 1 }}>
            <strong>{host}</strong> will miss paths:{" "}
            {plan.board?.hosts.find((row) => row.name === host)?.reason}. The lot can begin with: {text}.
          </span>
          <Button
            variant="outlined"
            disabled={fixed}
            onClick={() => {
              add(host);
            }}
          >
            Add the fix first
          </Button>
        </Box>
      ))}
    </>
  );
}
