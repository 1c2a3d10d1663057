import type { Chart } from "chart.js";
import type { Exemplar } from "./chart";

/** How exemplars are drawn: hollow lozenges, whatever the line they belong to looks like. */
export const exemplarDataset = (exemplars: readonly Exemplar[], colour: string, surface: string) => ({
  label: "exemplars",
  data: exemplars.map((one) => ({ x: one.atMs, y: one.value })),
  showLine: false,
  pointStyle: "rectRot" as const,
  pointRadius: 4,
  pointHoverRadius: 6,
  pointBorderWidth: 1.3,
  pointBorderColor: colour,
  pointBackgroundColor: surface,
  borderColor: colour,
  fill: false as const,
});

const REACH = 9;

/** The exemplar under a point of a drawing, within a finger's breadth. */
export function exemplarAt(
  chart: Chart<"line"> | null,
  exemplars: readonly Exemplar[],
  axis: string,
  x: number,
  y: number,
): Exemplar | undefined {
  const along = chart?.scales.x;
  const up = chart?.scales[axis];
  if (!along || !up) return undefined;
  const distance = (one: Exemplar) =>
    Math.hypot(along.getPixelForValue(one.atMs) - x, up.getPixelForValue(one.value) - y);
  let best: Exemplar | undefined;
  for (const one of exemplars) if (distance(one) <= REACH && (!best || distance(one) < distance(best))) best = one;
  return best;
}
