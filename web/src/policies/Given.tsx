import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useChange } from "../parts/useChange";
import { findQuery } from "../shell/queries";
import type { Policy } from "./queries";

const SCOPES = ["label", "disk", "machine", "cluster", "datastore"] as const;
type Scope = (typeof SCOPES)[number];

/** What a policy is given to; what is given to the disk itself counts before all else. */
export function Given({ policy, fixed }: { policy: Policy; fixed: boolean }) {
  const take = useChange((id: number) =>
    unwrap(api.DELETE("/api/policies/given/{id}/", { params: { path: { id } } })),
  );
  return (
    <Box component="section" aria-label="Given to">
      <Typography sx={{ fontWeight: 600 }}>Given to</Typography>
      {policy.given.length === 0 && (
        <Typography color="textSecondary">
          Nothing yet. What is given to a disk counts before its machine, a label, its datastore and its
          cluster.
        </Typography>
      )}
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", my: 0.5 }}>
        {policy.given.map((given) => (
          <Box
            key={given.id}
            sx={{
              border: "1px solid var(--line)",
              borderRadius: "4px",
              px: 1,
              display: "flex",
              alignItems: "center",
            }}
          >
            {given.scope} {given.name}
            {!fixed && (
              <Button
                size="small"
                sx={{ minWidth: 28 }}
                aria-label={`Take it from ${given.scope} ${given.name}`}
                disabled={take.isPending}
                onClick={() => {
                  take.mutate(given.id);
                }}
              >
                ×
              </Button>
            )}
          </Box>
        ))}
      </Box>
      <ProblemAlert error={take.error} />
      {!fixed && <Give policy={policy.id} />}
    </Box>
  );
}

function Give({ policy }: { policy: number }) {
  const [scope, setScope] = useState<Scope>("label");
  const [text, setText] = useState("");
  const found = useQuery({ ...findQuery(text), enabled: scope !== "label" && text.length > 1 });
  const give = useChange(
    (target: string) =>
      unwrap(
        api.POST("/api/policies/{id}/given/", { params: { path: { id: policy } }, body: { scope, target } }),
      ),
    () => {
      setText("");
    },
  );
  const hits = found.data?.hits.filter((hit) => hit.kind === scope) ?? [];
  return (
    <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center", mt: 1 }}>
      <TextField
        select
        label="Give it to"
        size="small"
        fullWidth={false}
        sx={{ width: 130 }}
        value={scope}
        onChange={(event) => {
          setScope(SCOPES.find((each) => each === event.target.value) ?? "label");
        }}
      >
        {SCOPES.map((each) => (
          <MenuItem key={each} value={each}>
            {each === "label" ? "all labelled" : `a ${each}`}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        label={scope === "label" ? "key=value" : `name of the ${scope}`}
        size="small"
        fullWidth={false}
        sx={{ width: 220 }}
        value={text}
        onChange={(event) => {
          setText(event.target.value);
        }}
      />
      {scope === "label" ? (
        <Button
          variant="outlined"
          disabled={!text || give.isPending}
          onClick={() => {
            give.mutate(text);
          }}
        >
          Give
        </Button>
      ) : (
        text.length > 1 &&
        hits.map((hit) => (
          <Button
            key={hit.id}
            variant="outlined"
            disabled={give.isPending}
            onClick={() => {
              give.mutate(String(hit.id));
            }}
          >
            Give to {hit.name}
          </Button>
        ))
      )}
      <ProblemAlert error={give.error} />
    </Box>
  );
}
