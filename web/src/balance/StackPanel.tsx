import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Drawer from "@mui/material/Drawer";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import { formatShare } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useUnit } from "../parts/unit";
import { Loading } from "../shell/Page";
import { type Board, type MoveRequest, type Stack, stackQuery } from "./queries";

type Block = Stack["blocks"][number];

interface Props {
  board: Board;
  stack: Stack;
  /** Null where nothing may be moved. */
  move: ((moves: readonly MoveRequest[]) => void) | null;
  onClose: () => void;
}

const keyOf = (block: Block) => String(block.id);

/** A datastore of a large group over the page: its largest disks, and a way to move those that are chosen. */
export function StackPanel({ board, stack, move, onClose }: Props) {
  const { data, error } = useQuery(stackQuery(board.name, stack.id));
  const { size } = useUnit();
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [target, setTarget] = useState<Stack | null>(null);
  const columns = useMemo(
    (): Column<Block>[] => [
      {
        key: "disk",
        head: "Disk",
        value: (block) => block.name,
        cell: (block) => <Link to={`/trace/disk/${String(block.id)}`}>{block.name}</Link>,
      },
      { key: "machine", head: "Machine", value: (block) => block.machine },
      {
        key: "size",
        csv: "size_bytes",
        head: "Size",
        value: (block) => block.size_bytes,
        cell: (block) => size(block.size_bytes),
        figures: true,
      },
      { key: "heat", csv: "heat_per_gib", head: "Heat per GiB", value: (block) => block.heat, figures: true },
      { key: "pinned", head: "Pinned", value: (block) => block.pinned },
    ],
    [size],
  );
  const ids = [...chosen].map(Number);
  return (
    <Drawer
      anchor="right"
      open
      onClose={onClose}
      slotProps={{
        paper: { sx: { width: "min(720px, 100vw)", p: 2 }, "aria-label": `Disks of ${stack.name}` },
      }}
    >
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 1.5, mb: 1.5 }}>
        <Typography variant="h2" component="h2">
          {stack.name}, {formatShare(stack.fill)} full
        </Typography>
        <Box sx={{ flex: 1 }} />
        <Button onClick={onClose}>Close</Button>
      </Box>
      <ProblemAlert error={error} />
      {!data && !error && <Loading />}
      {data && move && (
        <Box sx={{ display: "flex", gap: 1.5, mb: 1.5 }}>
          <Autocomplete
            sx={{ flex: 1 }}
            size="small"
            options={board.datastores.filter((each) => each.id !== stack.id)}
            getOptionLabel={(each) => `${each.name}, ${formatShare(each.fill)} full`}
            getOptionKey={(each) => each.id}
            value={target}
            onChange={(_event, next) => {
              setTarget(next);
            }}
            renderInput={(params) => <TextField {...params} label="Move those chosen to" />}
          />
          <Button
            variant="contained"
            disabled={!target || ids.length === 0}
            onClick={() => {
              if (!target) return;
              move(ids.map((disk) => ({ disk, target: target.id })));
              onClose();
            }}
          >
            Plan the move
          </Button>
        </Box>
      )}
      {data && (
        <DataTable
          name={`Disks of ${stack.name}`}
          title="Largest disks"
          note={
            data.rest_disks
              ? `${String(data.rest_disks)} smaller ones, ${size(data.rest_bytes)}, are not listed`
              : ""
          }
          columns={columns}
          rows={data.blocks}
          rowKey={keyOf}
          empty="No disk lies on it."
          {...(move ? { selected: chosen, onSelect: setChosen } : {})}
        />
      )}
    </Drawer>
  );
}
