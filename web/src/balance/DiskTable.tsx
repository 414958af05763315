import { useMemo } from "react";
import { Link } from "react-router";
import { formatShare } from "../parts/format";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useUnit } from "../parts/unit";
import type { Board, Plan, Stack } from "./queries";

interface Row {
  block: Stack["blocks"][number];
  stack: Stack;
  target: string;
}

const keyOf = (row: Row) => String(row.block.id);

/** The stack board as a table: each disk with its datastore, size, heat, and where a plan moves it. */
export function DiskTable({ board, plan }: { board: Board; plan: Plan | undefined }) {
  const { size } = useUnit();
  const rows = useMemo(() => {
    const targets = new Map((plan?.moves ?? []).map((move) => [move.disk, move.target_name]));
    return board.datastores.flatMap((stack) =>
      stack.blocks.map((block): Row => ({ block, stack, target: targets.get(block.id) ?? "" })),
    );
  }, [board, plan]);
  const columns = useMemo(
    (): Column<Row>[] => [
      {
        key: "disk",
        head: "Disk",
        value: (row) => row.block.name,
        cell: (row) => <Link to={`/trace/disk/${String(row.block.id)}`}>{row.block.name}</Link>,
        sticky: true,
      },
      { key: "machine", head: "Machine", value: (row) => row.block.machine },
      { key: "datastore", head: "Datastore", value: (row) => row.stack.name, mono: true },
      {
        key: "fill",
        head: "Its fill",
        value: (row) => row.stack.fill,
        cell: (row) => formatShare(row.stack.fill),
        figures: true,
        width: 90,
      },
      {
        key: "size",
        csv: "size_bytes",
        head: "Size",
        value: (row) => row.block.size_bytes,
        cell: (row) => size(row.block.size_bytes),
        figures: true,
        width: 110,
      },
      {
        key: "heat",
        csv: "heat_per_gib",
        head: "Heat per GiB",
        value: (row) => row.block.heat,
        figures: true,
        width: 120,
      },
      { key: "pinned", head: "Pinned", value: (row) => row.block.pinned, width: 80 },
      { key: "target", head: "Planned to", value: (row) => row.target, mono: true },
    ],
    [size],
  );
  return (
    <DataTable
      name={`Disks of ${board.name}`}
      note="the largest of each datastore"
      columns={columns}
      rows={rows}
      rowKey={keyOf}
      empty="There is no disk in this group."
    />
  );
}
