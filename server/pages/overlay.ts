import { aggregateLines, shiftLine, type Line } from "#core/telemetry/lines";
import { DAY_MS } from "#core/time/windows";
import { finiteOrNull } from "#core/units/format";

export const OVERLAYS = ["none", "day", "week", "seven"] as const;
/** What of another time is laid over a drawing: the day before, the week before, the mean of the seven days before. */
export type Overlay = (typeof OVERLAYS)[number];

/** The same line at another time, moved here: instant here, mean there. */
export function overlayOf(
  draw: (fromMs: number, toMs: number) => Line,
  overlay: Overlay,
  fromMs: number,
  toMs: number,
): [number, number | null][] {
  if (overlay === "none") return [];
  const days = overlay === "day" ? [1] : overlay === "week" ? [7] : [1, 2, 3, 4, 5, 6, 7];
  const line = aggregateLines(
    days.map((day) => shiftLine(draw(fromMs - day * DAY_MS, toMs - day * DAY_MS), day * DAY_MS)),
    "mean",
  );
  return Array.from(line.starts, (start, index) => [start, finiteOrNull(line.mean[index] as number)]);
}
