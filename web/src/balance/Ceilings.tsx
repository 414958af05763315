import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { Chip } from "../parts/Chip";
import { formatMs, formatShare } from "../parts/format";
import { Moment } from "../parts/Moment";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useChange } from "../parts/useChange";
import { type Board, type Ceilings, ceilingsQuery } from "./queries";

/** The ceilings of a group, and setting others. */
export function CeilingChips({ board, mayChange }: { board: Board; mayChange: boolean }) {
  const [open, setOpen] = useState(false);
  if (open) {
    return (
      <SetCeilings
        group={board.name}
        close={() => {
          setOpen(false);
        }}
      />
    );
  }
  return (
    <>
      <Chip>Fill ceiling {formatShare(board.fill_ceiling)}</Chip>
      <Chip>Latency ceiling {formatMs(board.latency_ceiling_ms)} at peak hour</Chip>
      {mayChange && (
        <Button
          size="small"
          onClick={() => {
            setOpen(true);
          }}
        >
          Set ceilings
        </Button>
      )}
    </>
  );
}

interface Props {
  group: string;
  close: () => void;
}

function SetCeilings({ group, close }: Props) {
  const { data, error } = useQuery(ceilingsQuery(group));
  if (!data) return <ProblemAlert error={error} />;
  return <CeilingsForm key={data.number} group={group} found={data} close={close} />;
}

function CeilingsForm({ group, found, close }: Props & { found: Ceilings }) {
  const [fill, setFill] = useState(String(Math.round(found.fill_ceiling * 1000) / 10));
  const [latency, setLatency] = useState(String(found.latency_ceiling_ms));
  const store = useChange(
    () =>
      unwrap(
        api.PUT("/api/balance/groups/{name}/ceilings/", {
          params: { path: { name: group }, header: { "If-Match": `"${String(found.number)}"` } },
          body: { fill_ceiling: Number(fill) / 100, latency_ceiling_ms: Number(latency) },
        }),
      ),
    close,
  );
  const meant = Number(fill) > 0 && Number(fill) <= 100 && Number(latency) > 0;
  return (
    <Box
      component="form"
      aria-label="Ceilings"
      sx={{ display: "flex", gap: 1, alignItems: "start", flexWrap: "wrap" }}
      onSubmit={(event) => {
        event.preventDefault();
        store.mutate();
      }}
    >
      <TextField
        label="Full, %"
        size="small"
        fullWidth={false}
        sx={{ width: 90 }}
        value={fill}
        onChange={(event) => {
          setFill(event.target.value);
        }}
      />
      <TextField
        label="Answers in, ms"
        size="small"
        fullWidth={false}
        sx={{ width: 120 }}
        value={latency}
        onChange={(event) => {
          setLatency(event.target.value);
        }}
      />
      <Button type="submit" variant="contained" disabled={!meant || store.isPending}>
        Set for all
      </Button>
      <Button onClick={close}>Leave them</Button>
      {found.at && (
        <span style={{ color: "var(--mute)", fontSize: 12, alignSelf: "center" }}>
          set by {found.by}, <Moment at={found.at} />
        </span>
      )}
      <ProblemAlert error={store.error} />
    </Box>
  );
}
