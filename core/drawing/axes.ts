import { tickLabel, timeTicks } from "../time/ticks";
import { DAY_MS } from "../time/windows";
import { valueAxis } from "../units/axis";
import type { Tokens } from "./tokens";

/** Room a label takes along the axis, in pixels: over many days each names its day, else most are times of day. */
const labelRoom = (spanMs: number) => (spanMs > 3 * DAY_MS ? 72 : 58);

/** The time axis of the house, in milliseconds: ticks on round instants, no more than the drawing has room for. */
export const timeAxis = (fromMs: number, toMs: number, most: number, tokens: Tokens) => ({
  type: "linear" as const,
  min: fromMs,
  max: toMs,
  grid: { display: false },
  border: { color: tokens.line },
  afterBuildTicks: (axis: { ticks: { value: number }[]; chart: { width: number } }) => {
    const fit = Math.max(2, Math.floor((axis.chart.width - 60) / labelRoom(toMs - fromMs)));
    axis.ticks = timeTicks(fromMs, toMs, Math.min(most, fit)).map((value) => ({ value }));
  },
  ticks: {
    maxRotation: 0,
    autoSkip: false,
    color: tokens.quiet,
    font: { size: 11 },
    callback: (value: string | number) => tickLabel(Number(value), toMs - fromMs),
  },
});

/** Puts the ends and the marks of a value axis on round values of the unit shown. */
export function roundAxis(low: number, high: number, unit: string, most: number) {
  const { min, max, ticks } = valueAxis(low, high, unit, most);
  return {
    min,
    max,
    afterBuildTicks: (axis: { ticks: { value: number }[] }) => {
      axis.ticks = ticks.map((value) => ({ value }));
    },
  };
}

/**
 * A sample with nothing on either side makes no line; such samples are drawn as dots. They are lines of their own: a
 * radius for each point of a line would have the library work out the looks of each of its points anew.
 */
export function aloneDots(points: readonly { x: number; y: number }[], radius: number, colour: string) {
  const alone = points.filter(
    ({ y }, index) =>
      !Number.isNaN(y) &&
      Number.isNaN(points[index - 1]?.y ?? Number.NaN) &&
      Number.isNaN(points[index + 1]?.y ?? Number.NaN),
  );
  if (!alone.length) return [];
  return [
    {
      ...STILL,
      label: "alone",
      data: alone,
      showLine: false,
      pointRadius: radius,
      pointBackgroundColor: colour,
      borderColor: colour,
      fill: false as const,
    },
  ];
}

/** How every line of the house is drawn, whatever else it is. */
export const STILL = { pointRadius: 0, pointHoverRadius: 0, tension: 0, spanGaps: false } as const;
