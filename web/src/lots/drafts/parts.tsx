import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../../api/problem";
import { queryOptions } from "../../api/client";
import { type Bound, Choice } from "./fields";

interface ClusterProps<Form> {
  of: Bound<Form>;
  /** The one that the plan is for. */
  cluster: string;
}

/** The cluster whose hosts get the storage. */
export function ClusterSelect<Form extends { cluster?: string }>({ of, cluster }: ClusterProps<Form>) {
  const { data: groups } = useQuery(queryOptions("get", "/api/balance/groups/"));
  const clusters = new Set([...(groups ?? []).map((group) => group.name), cluster]);
  const options = [...clusters].map((name) => [name, name || "none"] as const);
  return (
    <Choice
      label="Cluster"
      value={cluster}
      fixed={of.fixed}
      options={options}
      choose={(chosen) => {
        of.change({ cluster: chosen } as Partial<Form>);
      }}
    />
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
            {plan.board?.hosts.find((row) => row.name === host || row.others?.includes(host))?.reason}. The
            lot can begin with: {text}.
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
