import { DragDropProvider, PointerSensor, useDraggable, useDroppable } from "@dnd-kit/react";
import type { ReactNode } from "react";

/** By keyboard a thing opens a menu of places, which says more than carrying it with arrow keys would. */
const SENSORS = [PointerSensor];

interface Props {
  /** A thing was let go over a place, both by id. */
  onDrop: (thing: number, place: number) => void;
  children: ReactNode;
}

/** Where things are dragged to places: the only file that knows by which library. */
export function DragArea({ onDrop, children }: Props) {
  return (
    <DragDropProvider
      sensors={SENSORS}
      onDragEnd={({ operation: { source, target }, canceled }) => {
        if (!canceled && source && target) onDrop(Number(source.id), Number(target.id));
      }}
    >
      {children}
    </DragDropProvider>
  );
}

/** A thing that can be dragged. */
export const useDragged = (id: number, disabled: boolean) => useDraggable({ id, disabled }).ref;

/** A place to let things go. */
export function usePlace(id: number): { ref: (element: Element | null) => void; over: boolean } {
  const { ref, isDropTarget } = useDroppable({ id });
  return { ref, over: isDropTarget };
}
