import Box from "@mui/material/Box";
import Chip from "@mui/material/Chip";
import TextField from "@mui/material/TextField";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { ProblemAlert } from "./ProblemAlert";
import { useSession } from "../shell/useSession";

const LABELLED = new Set(["datastore", "pool", "machine", "disk"]);

/** The labels of a thing, typed as key=value; nothing for a kind that has none. */
export function Labels({ kind, id }: { kind: string; id: number }) {
  return LABELLED.has(kind) ? <LabelRow key={`${kind} ${String(id)}`} kind={kind} id={id} /> : null;
}

function LabelRow({ kind, id }: { kind: string; id: number }) {
  const [text, setText] = useState("");
  const { data: session } = useSession();
  const queries = useQueryClient();
  const path = { params: { path: { kind, id } } };
  const queryKey = ["labels", kind, id];
  const found = useQuery({ queryKey, queryFn: () => unwrap(api.GET("/api/labels/{kind}/{id}/", path)) });
  const store = useMutation({
    mutationFn: (labels: string[]) =>
      unwrap(api.PUT("/api/labels/{kind}/{id}/", { ...path, body: { labels } })),
    onSuccess: (answer) => {
      queries.setQueryData(queryKey, answer);
      setText("");
    },
  });
  const labels = found.data?.labels ?? [];
  const may = (session?.may_change ?? false) && !store.isPending;
  return (
    <Box component="section" aria-label="Labels" sx={{ mb: 1.5 }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
        <span style={{ color: "var(--mute)" }}>Labels</span>
        {labels.map((label) => (
          <Chip
            key={label}
            label={label}
            size="small"
            variant="outlined"
            className="mono"
            {...(may && {
              onDelete: () => {
                store.mutate(labels.filter((other) => other !== label));
              },
            })}
          />
        ))}
        {found.data && labels.length === 0 && !session?.may_change && <span>none</span>}
        {session?.may_change && (
          <form
            onSubmit={(event) => {
              event.preventDefault();
              if (text.trim()) store.mutate([...labels, text]);
            }}
          >
            <TextField
              value={text}
              onChange={(event) => {
                setText(event.target.value);
              }}
              placeholder="key=value, then Enter"
              slotProps={{ htmlInput: { "aria-label": "New label" } }}
              size="small"
              sx={{ width: 190 }}
            />
          </form>
        )}
      </Box>
      <ProblemAlert error={store.error ?? found.error} />
    </Box>
  );
}
