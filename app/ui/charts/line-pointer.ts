import type { Chart as ChartJs } from "chart.js";
import { useState, type DOMAttributes, type PointerEvent, type RefObject } from "react";
import type { DrawnLine } from "#server/pages/metrics";
import { useOpenTrace } from "../TraceLinks";
import { exemplarAt } from "#core/drawing/exemplars";
import { pointAtInstant } from "./instant";
import type { LineChartProps } from "./LineChart";
import { pointAt } from "./points";

/** A finger's breadth, in pixels. */
const REACH = 14;
/** A hand that trembles is not a drag. */
const LEAST_DRAG = 6;
const LEAST_WINDOW_MS = 2000;

/** The line that runs nearest a place of the drawing, within a finger's breadth. */
function nearestLine(
  chart: ChartJs<"line">,
  lines: readonly DrawnLine[],
  at: { ms: number; y: number },
  stepMs: number,
): string | null {
  let best: { key: string; distance: number } | null = null;
  for (const line of lines) {
    const point = pointAt(line, at.ms, stepMs);
    const scale = chart.scales[line.axis];
    if (!point || point[2] === null || !scale) continue;
    const distance = Math.abs(scale.getPixelForValue(point[2]) - at.y);
    if (distance < REACH && (!best || distance < best.distance)) best = { key: line.key, distance };
  }
  return best?.key ?? null;
}

/**
 * What the pointer does over a drawing of lines: lifts the nearest, points at an instant, drags a window, opens a
 * trace.
 */
export function useLinePointer(chart: RefObject<ChartJs<"line"> | null>, props: Omit<LineChartProps, "height">) {
  const { lines, fromMs, toMs, stepMs, lifted, onLift, onPoint, onZoom } = props;
  const openTrace = useOpenTrace();
  const [drag, setDrag] = useState<{ from: number; to: number } | null>(null);
  const placeOf = (event: PointerEvent) => {
    const box = chart.current?.canvas.getBoundingClientRect();
    return { x: event.clientX - (box?.left ?? 0), y: event.clientY - (box?.top ?? 0) };
  };
  const instantAt = (x: number) =>
    Math.max(fromMs, Math.min(toMs, chart.current?.scales.x?.getValueForPixel(x) ?? fromMs));
  const handlers: DOMAttributes<HTMLDivElement> = {
    onPointerMove(event) {
      const { x, y } = placeOf(event);
      const ms = instantAt(x);
      pointAtInstant(ms);
      onPoint?.(ms);
      if (drag) return setDrag({ ...drag, to: x });
      const key = chart.current && nearestLine(chart.current, lines, { ms, y }, stepMs);
      if (key !== lifted) onLift(key);
    },
    onPointerLeave() {
      pointAtInstant(null);
      onPoint?.(null);
      if (!drag) onLift(null);
    },
    onPointerDown(event) {
      if (event.button !== 0) return;
      // Else the browser would begin to mark text.
      event.preventDefault();
      event.currentTarget.setPointerCapture(event.pointerId);
      const { x } = placeOf(event);
      setDrag({ from: x, to: x });
    },
    onPointerUp(event) {
      // Where it ends is read from the event: the last moves may not have been drawn yet.
      const { x, y } = placeOf(event);
      if (drag && Math.abs(x - drag.from) > LEAST_DRAG) {
        const [from, to] = [instantAt(Math.min(drag.from, x)), instantAt(Math.max(drag.from, x))];
        if (to - from >= LEAST_WINDOW_MS) onZoom(from, to);
      } else if (drag)
        openTrace(lines.map((line) => exemplarAt(chart.current, line.exemplars, line.axis, x, y)).find(Boolean));
      setDrag(null);
    },
    onPointerCancel: () => setDrag(null),
  };
  return { drag, handlers };
}
