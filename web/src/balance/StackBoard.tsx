import Box from "@mui/material/Box";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { memo, useMemo, useState } from "react";
import { formatShare } from "../parts/format";
import { DragArea, useDragged, usePlace } from "../parts/picture/drag";
import { Picture } from "../parts/picture/Picture";
import { useRoom } from "../parts/picture/useRoom";
import { useRoving } from "../parts/picture/useRoving";
import { useUnit } from "../parts/unit";
import { heatColour, onHeat } from "../theme/tokens";
import { Feet, PoolBrackets } from "./BoardFeet";
import { DiskTable } from "./DiskTable";
import { CLOSE_PX, type Column, layOut, type Spacing, spacing, ticks } from "./geometry";
import { MoveLines } from "./MoveLines";
import type { Board, Move, MoveRequest, Plan, Stack } from "./queries";

/** Room that the axis and the last ceiling's figure take. */
const MARGINS_PX = 76;
const USUAL_PX = 916;
/** A tall window has a taller board, up to where blocks are easy to tell apart. */
const heightIn = (window: number) => Math.max(240, Math.min(420, window - 520));
const LABEL_MIN_PX = 15;
const TB_BYTES = { TiB: 1024 ** 4, TB: 1000 ** 4 };
const NO_MOVES: readonly Move[] = [];

type Block = Stack["blocks"][number];
type Roving = ReturnType<typeof useRoving>;

interface Props {
  board: Board;
  plan: Plan | undefined;
  /** Null where nothing may be moved. */
  move: ((moves: readonly MoveRequest[]) => void) | null;
}

/** Datastores as stacks of their disks in true size and heat, with a plan's moves; blocks move by drag or by keyboard. */
export function StackBoard({ board, plan, move }: Props) {
  const [chosen, setChosen] = useState<{ disk: number; anchor: HTMLElement } | null>(null);
  const stacks = useMemo(
    () => [...board.datastores].sort((a, b) => a.pool - b.pool || a.name.localeCompare(b.name)),
    [board.datastores],
  );
  const pools = useMemo(() => [...board.pools].sort((a, b) => a.id - b.id), [board.pools]);
  const blocks = useMemo(
    () => new Map(stacks.flatMap((stack) => stack.blocks).map((block) => [block.id, block])),
    [stacks],
  );
  const home = useMemo(
    () => new Map(stacks.flatMap((stack) => stack.blocks.map((block) => [block.id, stack.id] as const))),
    [stacks],
  );
  const moves = plan?.moves ?? NO_MOVES;
  const [boardRef, room] = useRoom(USUAL_PX);
  const [height] = useState(() => heightIn(window.innerHeight));
  const space = spacing(stacks.length, room - MARGINS_PX);
  const columns = useMemo(() => layOut(stacks, moves, height), [stacks, moves, height]);
  const roving = useRoving(columns.map((column) => column.blocks.map((block) => String(block.id)).reverse()));
  const onMove = (disk: number, target: number) => move?.([{ disk, target }]);
  return (
    <Picture
      title={`Disks of ${board.name} by datastore`}
      legend={<HeatLegend />}
      twin={<DiskTable board={board} plan={plan} />}
      said={plan ? `${String(plan.moves.length)} moves planned` : ""}
    >
      <DragArea onDrop={onMove}>
        <div
          ref={boardRef}
          style={{ position: "relative", padding: "26px 20px 8px 56px", overflowX: "auto" }}
          role="group"
          aria-label={`Stack board of ${board.name}`}
        >
          <Columns
            columns={columns}
            stacks={stacks}
            blocks={blocks}
            moves={moves}
            editable={move !== null}
            roving={roving}
            height={height}
            space={space}
            onChoose={(disk, anchor) => {
              setChosen({ disk, anchor });
            }}
          />
          <Feet stacks={stacks} plan={plan} space={space} />
          <PoolBrackets pools={pools} stacks={stacks} plan={plan} space={space} />
        </div>
        <Targets
          chosen={chosen}
          stacks={stacks}
          home={chosen ? home.get(chosen.disk) : undefined}
          onClose={() => {
            setChosen(null);
          }}
          onMove={onMove}
        />
      </DragArea>
    </Picture>
  );
}

function HeatLegend() {
  return (
    <Box
      component="span"
      sx={{ display: "inline-flex", alignItems: "center", gap: 0.75, fontSize: 12, color: "var(--mute)" }}
    >
      peak-hour heat, cool
      {[0, 1, 2, 3, 4, 5].map((level) => (
        <span key={level} aria-hidden style={{ width: 18, height: 10, background: heatColour(level) }} />
      ))}
      hot
    </Box>
  );
}

interface ColumnsProps {
  columns: readonly Column[];
  stacks: readonly Stack[];
  blocks: ReadonlyMap<number, Block>;
  moves: readonly Move[];
  editable: boolean;
  roving: Roving;
  height: number;
  space: Spacing;
  onChoose: (disk: number, anchor: HTMLElement) => void;
}

function Columns({
  columns,
  stacks,
  blocks,
  moves,
  editable,
  roving,
  height,
  space,
  onChoose,
}: ColumnsProps) {
  const { unit } = useUnit();
  const { width, gap } = space;
  const leaving = useMemo(
    () => new Set(moves.map((move) => `${String(move.source)} ${String(move.disk)}`)),
    [moves],
  );
  return (
    // Arrow keys come from the blocks, which are buttons.
    // eslint-disable-next-line jsx-a11y/no-static-element-interactions
    <div
      style={{ position: "relative", width: stacks.length * (width + gap), height }}
      onKeyDown={roving.onKeyDown}
    >
      {ticks(stacks, TB_BYTES[unit]).map((tick) => (
        <Tick key={tick} value={tick} unit={unit} stacks={stacks} height={height} />
      ))}
      {columns.map((column, n) => {
        const stack = stacks[n];
        return (
          stack && (
            <StackColumn
              key={column.id}
              column={column}
              stack={stack}
              blocks={blocks}
              leaving={leaving}
              left={gap / 2 + n * (width + gap)}
              space={space}
              height={height}
              editable={editable}
              roving={roving}
              onChoose={onChoose}
            />
          )
        );
      })}
      <MoveLines columns={columns} moves={moves} width={width} gap={gap} height={height} />
    </div>
  );
}

interface TickProps {
  value: number;
  unit: "TiB" | "TB";
  stacks: readonly Stack[];
  height: number;
}

function Tick({ value, unit, stacks, height }: TickProps) {
  const most = Math.max(1, ...stacks.map((stack) => stack.capacity_bytes));
  const bottom = ((value * TB_BYTES[unit]) / most) * height;
  return (
    <div style={{ position: "absolute", left: -8, right: 0, bottom, borderTop: "1px solid var(--track)" }}>
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
    </div>
  );
}

interface ColumnProps extends Omit<ColumnsProps, "columns" | "stacks" | "moves"> {
  column: Column;
  stack: Stack;
  leaving: ReadonlySet<string>;
  left: number;
}

function StackColumn(props: ColumnProps) {
  const { column, stack, blocks, leaving, left, editable, roving, height, onChoose } = props;
  const { width, gap } = props.space;
  const { ref, over } = usePlace(stack.id);
  const { size } = useUnit();
  return (
    <div
      ref={ref}
      role="group"
      aria-label={`${stack.name}, ${formatShare(stack.fill)} full`}
      style={{
        position: "absolute",
        left,
        width,
        top: column.top,
        height: height - column.top,
        boxSizing: "border-box",
        border: `1.5px solid ${over ? "var(--tide)" : "var(--line)"}`,
        background: over ? "var(--tideSoft)" : "none",
      }}
    >
      <div
        title={`${size(stack.other_bytes + stack.rest_bytes)} beside the disks drawn`}
        style={{
          position: "absolute",
          left: 2,
          right: 2,
          bottom: 0,
          height: Math.max(0, column.foot - 1),
          background: "repeating-linear-gradient(45deg, var(--track) 0 3px, transparent 3px 6px)",
        }}
      />
      {[...column.blocks, ...column.arriving].map((placed, n) => {
        const arriving = n >= column.blocks.length;
        const block = blocks.get(placed.id);
        if (!block) return null;
        const leaves = leaving.has(`${String(stack.id)} ${String(placed.id)}`);
        return (
          <DiskBlock
            key={`${String(placed.id)} ${String(arriving)}`}
            block={block}
            state={arriving ? "arriving" : leaves ? "leaving" : "stays"}
            top={placed.top - column.top}
            height={placed.height}
            editable={editable && !arriving}
            named={gap > CLOSE_PX}
            stop={arriving ? undefined : roving.stop(String(block.id))}
            onChoose={onChoose}
          />
        );
      })}
      <Ceiling column={column} stack={stack} overhang={gap > CLOSE_PX ? 8 : 3} />
    </div>
  );
}

function Ceiling({ column, stack, overhang }: { column: Column; stack: Stack; overhang: number }) {
  return (
    <div
      aria-hidden
      style={{
        position: "absolute",
        left: -overhang,
        right: -overhang,
        top: column.ceiling - column.top - 1,
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
    </div>
  );
}

interface BlockProps {
  block: Block;
  state: "stays" | "leaving" | "arriving";
  top: number;
  height: number;
  editable: boolean;
  named: boolean;
  stop: ReturnType<Roving["stop"]> | undefined;
  onChoose: (disk: number, anchor: HTMLElement) => void;
}

const WORDS = { stays: "", leaving: ", planned to leave", arriving: ", planned to arrive" } as const;
const OUTLINES = {
  stays: "none",
  leaving: "1.5px dashed var(--buoy)",
  arriving: "2px solid var(--ink)",
} as const;

const DiskBlock = memo(
  function DiskBlock({ block, state, top, height, editable, named, stop, onChoose }: BlockProps) {
    const { size } = useUnit();
    const free = editable && !block.pinned;
    const ref = useDragged(block.id, !free);
    const label = `${block.name}, ${size(block.size_bytes)}, heat ${block.heat.toFixed(1)} per GiB, level ${String(block.level + 1)} of 6${block.pinned ? ", pinned" : ""}${WORDS[state]}`;
    return (
      <button
        type="button"
        ref={state === "arriving" ? undefined : ref}
        aria-label={label}
        aria-disabled={!free}
        title={label}
        tabIndex={-1}
        {...stop}
        onClick={(event) => {
          if (free) onChoose(block.id, event.currentTarget);
        }}
        className="mono block"
        style={{
          position: "absolute",
          left: 2,
          right: 2,
          top: top + 0.5,
          height: Math.max(1, height - 1),
          border: 0,
          padding: "0 4px",
          fontSize: 10.5,
          lineHeight: 1.2,
          textAlign: "left",
          overflow: "hidden",
          whiteSpace: "nowrap",
          textOverflow: "ellipsis",
          background: state === "leaving" ? "var(--card)" : heatColour(block.level),
          color: state === "leaving" ? "var(--ink)" : onHeat(block.level),
          // The outline of a block that moves gives way to that of the focus.
          boxShadow: "none",
          ...(state === "stays" ? {} : { border: OUTLINES[state] }),
          cursor: free ? "grab" : "default",
        }}
      >
        {named && height >= LABEL_MIN_PX ? block.machine : ""}
      </button>
    );
  },
  (before, after) =>
    before.block === after.block &&
    before.state === after.state &&
    before.top === after.top &&
    before.height === after.height &&
    before.editable === after.editable &&
    before.named === after.named &&
    before.stop?.tabIndex === after.stop?.tabIndex,
);

interface TargetsProps {
  chosen: { disk: number; anchor: HTMLElement } | null;
  stacks: readonly Stack[];
  home: number | undefined;
  onClose: () => void;
  onMove: (disk: number, target: number) => void;
}

function Targets({ chosen, stacks, home, onClose, onMove }: TargetsProps) {
  return (
    <Menu
      open={chosen !== null}
      anchorEl={chosen?.anchor ?? null}
      onClose={onClose}
      slotProps={{ list: { "aria-label": "Move to" } }}
    >
      {stacks.map((stack) => (
        <MenuItem
          key={stack.id}
          onClick={() => {
            if (chosen) onMove(chosen.disk, stack.id);
            onClose();
          }}
        >
          {stack.id === home ? `Leave on ${stack.name}` : `Move to ${stack.name}`}, {formatShare(stack.fill)}{" "}
          full
        </MenuItem>
      ))}
    </Menu>
  );
}
