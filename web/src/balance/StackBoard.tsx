import { DragDropProvider, PointerSensor, useDraggable, useDroppable } from "@dnd-kit/react";
import Box from "@mui/material/Box";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { useState } from "react";
import { formatMs, formatShare } from "../parts/format";
import { useUnit } from "../parts/unit";
import { heatColour, onHeat } from "../theme/tokens";
import { type Column, layOut, spacing, ticks } from "./geometry";
import { MoveLines } from "./MoveLines";
import type { Board, BoardPool, Move, Plan, Stack } from "./useBoard";

const HEIGHT = 240;
/** The style system takes numbers up to 1 as shares: lengths go in as text. */
const px = (length: number) => `${String(length)}px`;
/** By keyboard a block opens a menu of targets, which says more than carrying it with arrow keys would. */
const SENSORS = [PointerSensor];
const LABEL_MIN_PX = 15;
/** Columns closer than this have no room for the names of machines in their blocks, nor for wide ceiling bars. */
const CLOSE_PX = 30;
const TB_BYTES = { TiB: 1024 ** 4, TB: 1000 ** 4 };

interface Props {
  board: Board;
  stacks: readonly Stack[];
  plan: Plan | undefined;
  editable: boolean;
  onMove: (disk: number, target: number) => void;
}

/** Datastores as stacks of their disks in true size and heat, with a plan's moves; blocks move by drag or by keyboard. */
export function StackBoard({ board, stacks, plan, editable, onMove }: Props) {
  const { unit } = useUnit();
  const [chosen, setChosen] = useState<{ disk: number; anchor: HTMLElement } | null>(null);
  const moves = plan?.moves ?? [];
  const columns = layOut(stacks, moves, HEIGHT);
  const { width, gap } = spacing(stacks.length);
  return (
    <DragDropProvider
      sensors={SENSORS}
      onDragEnd={({ operation }) => {
        const { source, target } = operation;
        if (source && target) onMove(Number(source.id), Number(target.id));
      }}
    >
      <Box
        sx={{ position: "relative", p: "26px 10px 8px 56px", overflowX: "auto" }}
        role="group"
        aria-label={`Stack board of ${board.name}`}
      >
        <Box sx={{ position: "relative", width: stacks.length * (width + gap), height: HEIGHT }}>
          {ticks(stacks, TB_BYTES[unit]).map((tick) => (
            <Tick key={tick} value={tick} unit={unit} stacks={stacks} />
          ))}
          {columns.map((column, n) => {
            const stack = stacks[n];
            return (
              stack && (
                <StackColumn
                  key={column.id}
                  column={column}
                  stack={stack}
                  stacks={stacks}
                  moves={moves}
                  left={gap / 2 + n * (width + gap)}
                  editable={editable}
                  onChoose={(disk, anchor) => {
                    setChosen({ disk, anchor });
                  }}
                />
              )
            );
          })}
          <MoveLines columns={columns} moves={moves} width={width} gap={gap} height={HEIGHT} />
        </Box>
        <Feet stacks={stacks} plan={plan} />
        <PoolBrackets pools={board.pools} stacks={stacks} plan={plan} />
      </Box>
      <Targets
        chosen={chosen}
        board={board}
        onClose={() => {
          setChosen(null);
        }}
        onMove={onMove}
      />
    </DragDropProvider>
  );
}

function Tick({ value, unit, stacks }: { value: number; unit: "TiB" | "TB"; stacks: readonly Stack[] }) {
  const most = Math.max(1, ...stacks.map((stack) => stack.capacity_bytes));
  const bottom = ((value * TB_BYTES[unit]) / most) * HEIGHT;
  return (
    <Box sx={{ position: "absolute", left: -8, right: 0, bottom, borderTop: "1px solid var(--track)" }}>
      <span
        className="mono"
        style={{
          position: "absolute",
          right: "100%",
          top: -9,
          marginRight: 6,
          fontSize: 11,
          color: "var(--mute)",
          whiteSpace: "nowrap",
        }}
      >
        {value} {value === 0 ? unit : ""}
      </span>
    </Box>
  );
}

interface ColumnProps {
  column: Column;
  stack: Stack;
  stacks: readonly Stack[];
  moves: readonly Move[];
  left: number;
  editable: boolean;
  onChoose: (disk: number, anchor: HTMLElement) => void;
}

function StackColumn({ column, stack, stacks, moves, left, editable, onChoose }: ColumnProps) {
  const { width, gap } = spacing(stacks.length);
  const overhang = gap > CLOSE_PX ? 8 : 3;
  const { ref, isDropTarget } = useDroppable({ id: stack.id });
  const { size } = useUnit();
  const leaving = new Set(moves.filter((move) => move.source === stack.id).map((move) => move.disk));
  const blocks = new Map(stacks.flatMap((each) => each.blocks).map((block) => [block.id, block]));
  return (
    <Box
      ref={ref}
      role="group"
      aria-label={`${stack.name}, ${formatShare(stack.fill)} full`}
      sx={{
        position: "absolute",
        left,
        width: width,
        top: column.top,
        height: HEIGHT - column.top,
        border: "1.5px solid",
        borderColor: isDropTarget ? "var(--tide)" : "var(--line)",
        background: isDropTarget ? "var(--tideSoft)" : "none",
      }}
    >
      <Box
        title={`${size(stack.other_bytes + stack.rest_bytes)} beside the disks drawn`}
        sx={{
          position: "absolute",
          left: 2,
          right: 2,
          bottom: 0,
          height: px(Math.max(0, column.foot - 1)),
          background: "repeating-linear-gradient(45deg, var(--track) 0 3px, transparent 3px 6px)",
        }}
      />
      {[...column.blocks, ...column.arriving].map((placed, n) => {
        const block = blocks.get(placed.id);
        const arriving = n >= column.blocks.length;
        if (!block) return null;
        const state = arriving ? "arriving" : leaving.has(placed.id) ? "leaving" : "stays";
        return (
          <DiskBlock
            key={`${String(placed.id)} ${state}`}
            block={block}
            state={state}
            top={placed.top - column.top}
            height={placed.height}
            editable={editable && !arriving}
            named={gap > CLOSE_PX}
            onChoose={onChoose}
          />
        );
      })}
      <Box
        aria-hidden
        sx={{
          position: "absolute",
          left: -overhang,
          right: -overhang,
          top: px(column.ceiling - column.top - 1),
          borderTop: "2px solid var(--ink)",
          pointerEvents: "none",
        }}
      >
        <span
          className="mono"
          style={{ position: "absolute", left: "100%", top: -9, fontSize: 11, marginLeft: 2 }}
        >
          {((stack.room_bytes / stack.capacity_bytes) * 100).toFixed(0)}
        </span>
      </Box>
    </Box>
  );
}

interface BlockProps {
  block: Stack["blocks"][number];
  state: "stays" | "leaving" | "arriving";
  top: number;
  height: number;
  editable: boolean;
  named: boolean;
  onChoose: (disk: number, anchor: HTMLElement) => void;
}

function DiskBlock({ block, state, top, height, editable, named, onChoose }: BlockProps) {
  const { size } = useUnit();
  const { ref } = useDraggable({ id: block.id, disabled: !editable || block.pinned });
  const words = { stays: "", leaving: ", planned to leave", arriving: ", planned to arrive" }[state];
  const outline = { stays: "none", leaving: "1.5px dashed var(--buoy)", arriving: "2px solid var(--ink)" }[
    state
  ];
  const label = `${block.name}, ${size(block.size_bytes)}, heat ${block.heat.toFixed(1)} per GiB, level ${String(block.level + 1)} of 6${block.pinned ? ", pinned" : ""}${words}`;
  return (
    <Box
      component="button"
      type="button"
      ref={state === "arriving" ? undefined : ref}
      aria-label={label}
      title={label}
      disabled={!editable || block.pinned}
      onClick={(event) => {
        onChoose(block.id, event.currentTarget);
      }}
      className="mono"
      sx={{
        position: "absolute",
        left: 2,
        right: 2,
        top: px(top + 0.5),
        height: px(Math.max(1, height - 1)),
        border: 0,
        p: "0 4px",
        fontSize: 10.5,
        lineHeight: 1.2,
        textAlign: "left",
        overflow: "hidden",
        whiteSpace: "nowrap",
        textOverflow: "ellipsis",
        background: state === "leaving" ? "var(--card)" : heatColour(block.level),
        color: state === "leaving" ? "var(--ink)" : onHeat(block.level),
        outline,
        outlineOffset: "-1.5px",
        cursor: editable && !block.pinned ? "grab" : "default",
        "&:focus-visible": { outline: "2px solid var(--tide)", zIndex: 2 },
      }}
    >
      {named && height >= LABEL_MIN_PX ? block.machine : ""}
    </Box>
  );
}

function Feet({ stacks, plan }: { stacks: readonly Stack[]; plan: Plan | undefined }) {
  const { width, gap } = spacing(stacks.length);
  const after = new Map((plan?.datastores ?? []).map((entry) => [entry.id, entry]));
  return (
    <Box sx={{ display: "flex", mt: 0.5, pl: `${String(gap / 2)}px`, gap: `${String(gap)}px` }}>
      {stacks.map((stack) => {
        const then = after.get(stack.id);
        const moved = then && Math.abs(then.fill - stack.fill) > 0.002;
        return (
          <Box
            key={stack.id}
            className="mono"
            sx={{
              width: width + gap - 2,
              mr: `${String(2 - gap)}px`,
              flex: "none",
              fontSize: gap > CLOSE_PX ? 12 : 11,
            }}
          >
            <a
              href={`/trace/datastore/${String(stack.id)}`}
              style={{
                fontWeight: 600,
                color: stack.over ? "var(--buoyText)" : "inherit",
                textDecoration: "none",
                display: "block",
                overflow: "hidden",
                textOverflow: "ellipsis",
                whiteSpace: "nowrap",
              }}
              title={stack.name}
            >
              {stack.name}
            </a>
            <div style={{ color: stack.over ? "var(--buoyText)" : "var(--mute)" }}>
              {stack.over && "▲\u00a0"}
              {formatShare(stack.fill)}
              {moved && ` →\u00a0${formatShare(then.fill)}`}
            </div>
          </Box>
        );
      })}
    </Box>
  );
}

function PoolBrackets({
  pools,
  stacks,
  plan,
}: {
  pools: readonly BoardPool[];
  stacks: readonly Stack[];
  plan: Plan | undefined;
}) {
  const { width, gap } = spacing(stacks.length);
  const after = new Map((plan?.pools ?? []).map((entry) => [entry.id, entry]));
  const shown = pools
    .map((pool) => ({ pool, count: stacks.filter((stack) => stack.pool === pool.id).length }))
    .filter((entry) => entry.count > 0);
  return (
    <Box sx={{ display: "flex", pl: `${String(gap / 2)}px`, gap: `${String(gap)}px`, mt: 0.75 }}>
      {shown.map(({ pool, count }) => {
        const then = after.get(pool.id);
        return (
          <Box
            key={pool.id}
            sx={{
              width: count * width + (count - 1) * gap,
              flex: "none",
              borderTop: "1.5px solid var(--mute)",
              pt: 0.5,
              fontSize: 12,
              display: "flex",
              justifyContent: "space-between",
              // A pool of one narrow stack has its figure below its name.
              flexWrap: "wrap",
              alignContent: "flex-start",
              columnGap: 1,
            }}
          >
            {pool.known ? (
              <a href={`/trace/pool/${String(pool.id)}`} style={{ color: "var(--mute)" }}>
                {pool.name}
              </a>
            ) : (
              <span style={{ color: "var(--mute)" }}>{pool.name}</span>
            )}
            <span className="mono">
              <strong style={{ whiteSpace: "nowrap", color: pool.over ? "var(--buoyText)" : "inherit" }}>
                {pool.over && "▲ "}
                {pool.known ? formatMs(pool.peak_ms) : "◇ no latency told"}
              </strong>
              {pool.known &&
                then &&
                formatMs(then.peak_ms) !== formatMs(pool.peak_ms) &&
                ` →\u00a0${then.peak_ms.toFixed(1)}`}
            </span>
          </Box>
        );
      })}
    </Box>
  );
}

interface TargetsProps {
  chosen: { disk: number; anchor: HTMLElement } | null;
  board: Board;
  onClose: () => void;
  onMove: (disk: number, target: number) => void;
}

function Targets({ chosen, board, onClose, onMove }: TargetsProps) {
  const home = board.datastores.find((stack) => stack.blocks.some((block) => block.id === chosen?.disk));
  return (
    <Menu
      open={chosen !== null}
      anchorEl={chosen?.anchor ?? null}
      onClose={onClose}
      slotProps={{ list: { "aria-label": "Move to" } }}
    >
      {board.datastores.map((stack) => (
        <MenuItem
          key={stack.id}
          onClick={() => {
            if (chosen) onMove(chosen.disk, stack.id);
            onClose();
          }}
        >
          {stack.id === home?.id ? `Leave on ${stack.name}` : `Move to ${stack.name}`},{" "}
          {formatShare(stack.fill)} full
        </MenuItem>
      ))}
    </Menu>
  );
}
