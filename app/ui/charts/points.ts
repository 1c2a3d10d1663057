import type { DrawnLine } from "#server/pages/metrics";

/** How many points of a line in order of time began at or before an instant. */
function begunBy(points: readonly (readonly [number, ...unknown[]])[], atMs: number): number {
  let low = 0;
  let high = points.length;
  while (low < high) {
    const middle = (low + high) >>> 1;
    if ((points[middle]?.[0] ?? 0) <= atMs) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** The point that holds at an instant: the last one that began before it. */
export const pointBefore = <Point extends readonly [number, ...unknown[]]>(
  points: readonly Point[],
  atMs: number,
): Point | undefined => points[begunBy(points, atMs) - 1];

/** The point of a line that holds at an instant, or undefined where it has none near. */
export function pointAt(line: DrawnLine, atMs: number, stepMs: number): DrawnLine["points"][number] | undefined {
  const begun = begunBy(line.points, atMs);
  const before = line.points[begun - 1];
  const after = line.points[begun];
  const near = before && after ? (atMs - before[0] <= after[0] - atMs ? before : after) : (before ?? after);
  const spacing = before && after ? after[0] - before[0] : stepMs * 3;
  return near && Math.abs(near[0] - atMs) <= Math.max(stepMs * 3, spacing) ? near : undefined;
}
