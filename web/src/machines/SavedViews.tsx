import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, queryOptions, unwrap } from "../api/client";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useChange } from "../parts/useChange";

/** What a view keeps of an address: filters and order, and not how far it was scrolled. */
function kept(search: URLSearchParams): string {
  const view = new URLSearchParams(search);
  view.delete("at");
  view.sort();
  return view.toString();
}

/** One's own views of a list, each its filters and order under a name; and a field that keeps what is shown now. */
export function SavedViews({ page }: { page: string }) {
  const [search] = useSearchParams();
  const [name, setName] = useState("");
  const now = kept(search);
  const { data: views, error } = useQuery(
    queryOptions("get", "/api/saved-views/", { params: { query: { page } } }),
  );
  const keep = useChange(
    () => unwrap(api.POST("/api/saved-views/", { body: { page, name: name.trim(), query: now } })),
    () => {
      setName("");
    },
  );
  const drop = useChange((id: number) =>
    unwrap(api.DELETE("/api/saved-views/{id}/", { params: { path: { id } } })),
  );
  const there = views?.some((view) => view.query === now) ?? true;
  if (!views?.length && !now) return <ProblemAlert error={error} />;
  return (
    <Box component="section" aria-label="Views" sx={{ display: "flex", gap: 1, mb: 1, flexWrap: "wrap" }}>
      <span style={{ color: "var(--mute)", alignSelf: "center" }}>Views</span>
      {views?.map((view) => (
        <Box
          key={view.id}
          sx={{
            display: "flex",
            alignItems: "center",
            border: "1px solid",
            borderColor: view.query === now ? "var(--ink)" : "var(--line)",
            borderRadius: "4px",
            pl: 1,
            background: "var(--card)",
          }}
        >
          <Link to={`?${view.query}`} aria-current={view.query === now ? "true" : undefined}>
            {view.name}
          </Link>
          <Button
            size="small"
            sx={{ minWidth: 28 }}
            aria-label={`Let the view ${view.name} go`}
            disabled={drop.isPending}
            onClick={() => {
              drop.mutate(view.id);
            }}
          >
            ×
          </Button>
        </Box>
      ))}
      {now && !there && (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            if (name.trim()) keep.mutate();
          }}
        >
          <TextField
            size="small"
            placeholder="keep this view as …, then Enter"
            slotProps={{ htmlInput: { "aria-label": "Name of this view", maxLength: 60 } }}
            sx={{ width: 230 }}
            value={name}
            onChange={(event) => {
              setName(event.target.value);
            }}
          />
        </form>
      )}
      <ProblemAlert error={error ?? keep.error ?? drop.error} />
    </Box>
  );
}
