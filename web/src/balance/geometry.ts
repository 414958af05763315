/** Pure geometry of the stack board: where each block of each column lies, in px from the board's top. */
export interface BlockIn {
  id: number;
  size_bytes: number;
}

export interface ColumnIn {
  id: number;
  capacity_bytes: number;
  room_bytes: number;
  other_bytes: number;
  rest_bytes: number;
  blocks: readonly BlockIn[];
}

export interface MoveIn {
  disk: number;
  source: number;
  target: number;
  size_bytes: number;
}

interface Placed {
  id: number;
  top: number;
  height: number;
}

export interface Column {
  id: number;
  /** Top of the capacity frame, and of the ceiling bar. */
  top: number;
  ceiling: number;
  /** What is no block: other bytes and the rest of the disks, at the foot. */
  foot: number;
  blocks: Placed[];
  /** Blocks that a plan brings here, on top of what stays. */
  arriving: Placed[];
}

/** One axis for all columns, true to scale: `height` px are the largest capacity. */
export function layOut(columns: readonly ColumnIn[], moves: readonly MoveIn[], height: number): Column[] {
  const most = Math.max(1, ...columns.map((column) => column.capacity_bytes));
  const scale = (bytes: number) => (bytes / most) * height;
  return columns.map((column) => {
    const foot = scale(column.other_bytes + column.rest_bytes);
    let level = foot;
    const place = (id: number, bytes: number): Placed => {
      level += scale(bytes);
      return { id, top: height - level, height: scale(bytes) };
    };
    const blocks = column.blocks.map((block) => place(block.id, block.size_bytes));
    const arriving = moves
      .filter((move) => move.target === column.id)
      .map((move) => place(move.disk, move.size_bytes));
    return {
      id: column.id,
      top: height - scale(column.capacity_bytes),
      ceiling: height - scale(column.room_bytes),
      foot,
      blocks,
      arriving,
    };
  });
}

/** Ticks of the axis in whole steps of `unitBytes`, at most six. */
export function ticks(columns: readonly ColumnIn[], unitBytes: number): number[] {
  const most = Math.max(0, ...columns.map((column) => column.capacity_bytes)) / unitBytes;
  const step = Math.max(1, Math.ceil(most / 5));
  return Array.from({ length: Math.floor(most / step) + 1 }, (_, n) => n * step);
}

export interface Spacing {
  /** How wide a datastore is drawn, and the room to the next one. */
  width: number;
  gap: number;
}

/** Columns closer than this have no room for names in their blocks, nor for wide ceiling bars. */
export const CLOSE_PX = 30;

const WIDEST_PX = 140;
const ROOMY = { most: 8, gap: 40, narrowest: 60 };
const CLOSE = { gap: 22, narrowest: 34 };

/** As many datastores as fit stand side by side in `room` px, closer where they are many; more are scrolled to. */
export function spacing(count: number, room: number): Spacing {
  const { gap, narrowest } = count <= ROOMY.most ? ROOMY : CLOSE;
  const fitting = Math.floor(room / Math.max(count, 1)) - gap;
  return { width: Math.max(narrowest, Math.min(WIDEST_PX, fitting)), gap };
}
