import { useRef, useState, type DOMAttributes, type PointerEvent, type RefObject } from "react";

export interface DragRange {
  /** The range under way, in the order it is dragged. */
  drag: { from: number; to: number } | null;
  /** Value under the pointer. */
  hovered: number | null;
  box: RefObject<HTMLDivElement | null>;
  handlers: Pick<
    DOMAttributes<HTMLDivElement>,
    "onPointerDown" | "onPointerMove" | "onPointerLeave" | "onPointerCancel" | "onPointerUp"
  >;
}

/**
 * Dragging over a drawing chooses a range of what runs along it. `valueOf` turns a share of the width, 0 to 1, into a
 * value.
 * @param onTap told of a click that is no drag, in pixels from the upper left corner
 */
export function useDragRange(
  valueOf: (share: number) => number,
  onRange: (least: number, most: number) => void,
  onTap?: (x: number, y: number) => void,
): DragRange {
  const box = useRef<HTMLDivElement>(null);
  const [drag, setDrag] = useState<{ from: number; to: number } | null>(null);
  const [hovered, setHovered] = useState<number | null>(null);
  const start = useRef(0);
  const valueAt = (event: PointerEvent) => {
    const rect = box.current?.getBoundingClientRect();
    return valueOf(rect ? Math.max(0, Math.min(1, (event.clientX - rect.left) / rect.width)) : 0);
  };
  return {
    drag,
    hovered,
    box,
    handlers: {
      onPointerDown(event) {
        if (event.button !== 0) return;
        // Else the browser would begin to mark text.
        event.preventDefault();
        event.currentTarget.setPointerCapture(event.pointerId);
        start.current = event.clientX;
        const at = valueAt(event);
        setDrag({ from: at, to: at });
      },
      onPointerMove(event) {
        const at = valueAt(event);
        setHovered(at);
        if (drag) setDrag({ ...drag, to: at });
      },
      onPointerLeave: () => setHovered(null),
      onPointerCancel: () => setDrag(null),
      onPointerUp(event) {
        // Where it ends is read from the event: the last moves may not have been drawn yet.
        const to = valueAt(event);
        // A hand that trembles is not a drag.
        if (drag && Math.abs(event.clientX - start.current) > 6) {
          if (to !== drag.from) onRange(Math.min(drag.from, to), Math.max(drag.from, to));
        } else if (drag && box.current) {
          const rect = box.current.getBoundingClientRect();
          onTap?.(event.clientX - rect.left, event.clientY - rect.top);
        }
        setDrag(null);
      },
    },
  };
}
