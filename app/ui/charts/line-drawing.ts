import type { ChartOptions } from "chart.js";
import { markText } from "#core/units/format";
import type { DrawnLine } from "#server/pages/metrics";
import type { Tokens } from "#core/drawing/tokens";
import { aloneDots, roundAxis, STILL, timeAxis } from "#core/drawing/axes";
import { exemplarDataset } from "#core/drawing/exemplars";
import { lineStyle } from "./line-style";

/** So many lines have their envelope drawn; of more, only the lifted one. */
const MOST_ENVELOPES = 3;

/** One column of points; where spans are missing a break is set, so that the line does not pretend. */
function broken(points: readonly (readonly (number | null)[])[], column: number, stepMs: number) {
  const result: { x: number; y: number }[] = [];
  // Series polled seldom have empty spans between their samples; only longer silences are gaps.
  const distances = points.slice(1).map((point, index) => (point[0] as number) - (points[index]?.[0] as number));
  const usual = distances.sort((one, other) => one - other)[Math.floor(distances.length / 2)] ?? stepMs;
  points.forEach((point, index) => {
    const at = point[0] as number;
    const before = points[index - 1]?.[0];
    if (before != null && at - before > Math.max(stepMs, usual) * 2.5)
      result.push({ x: (at + before) / 2, y: Number.NaN });
    result.push({ x: at, y: point[column] ?? Number.NaN });
  });
  return result;
}

/** Lines with their envelopes and what they are compared with; one may be lifted, the others are quiet then. */
export function lineData(
  { lines, stepMs, lifted }: { lines: readonly DrawnLine[]; stepMs: number; lifted: string | null },
  tokens: Tokens,
) {
  const datasets = lines.flatMap((line, index) => {
    const { colour, dash } = lineStyle(tokens, index);
    const quiet = lifted !== null && lifted !== line.key;
    const common = { ...STILL, yAxisID: line.axis, label: "" };
    const edge = { ...common, borderWidth: 0.8, borderColor: `${colour}59` };
    const envelope = lifted === line.key || (lifted === null && lines.length <= MOST_ENVELOPES);
    const mean = broken(line.points, 2, stepMs);
    return [
      ...(envelope
        ? [
            { ...edge, data: broken(line.points, 3, stepMs), backgroundColor: `${colour}26`, fill: "+1" as const },
            { ...edge, data: broken(line.points, 1, stepMs), fill: false as const },
          ]
        : []),
      ...(line.over.length
        ? [
            {
              ...common,
              data: broken(line.over, 1, stepMs),
              borderWidth: 1,
              borderColor: `${colour}${quiet ? "30" : "90"}`,
              borderDash: [2, 3],
              fill: false as const,
            },
          ]
        : []),
      ...(line.exemplars.length && !quiet
        ? [{ ...exemplarDataset(line.exemplars, colour, tokens.surface), yAxisID: line.axis }]
        : []),
      ...aloneDots(mean, 2, colour).map((dots) => ({ ...dots, yAxisID: line.axis })),
      {
        ...common,
        label: line.key,
        data: mean,
        borderWidth: lifted === line.key ? 2.6 : 1.5,
        borderColor: quiet ? `${colour}4d` : colour,
        borderDash: dash,
        fill: false as const,
      },
    ];
  });
  return { datasets };
}

/** Lowest and highest value of the lines on an axis, what they are compared with included. */
function extentOf(lines: readonly DrawnLine[], axis: "left" | "right"): [number, number] {
  let low = Number.POSITIVE_INFINITY;
  let high = Number.NEGATIVE_INFINITY;
  const take = (value: number | null | undefined) => {
    if (value === null || value === undefined) return;
    if (value < low) low = value;
    if (value > high) high = value;
  };
  for (const line of lines) {
    if (line.axis !== axis) continue;
    for (const point of line.points) for (const value of point.slice(1)) take(value);
    for (const point of line.over) take(point[1]);
    for (const one of line.exemplars) take(one.value);
  }
  return [low, high];
}

/** @param lowest with `highest`: bounds of the left axis where they are set by hand */
export function lineOptions(
  { lines, fromMs, toMs }: { lines: readonly DrawnLine[]; fromMs: number; toMs: number },
  lowest: number | null,
  highest: number | null,
  tokens: Tokens,
): ChartOptions<"line"> {
  const unitOn = (axis: "left" | "right") => lines.find((line) => line.axis === axis)?.unit ?? "1";
  const axis = (name: "left" | "right", bounds: { min?: number; max?: number }) => ({
    position: name,
    display: name === "left" || lines.some((line) => line.axis === "right"),
    ...roundAxis(...extentOf(lines, name), unitOn(name), 7),
    ...bounds,
    grid: { color: tokens.line, lineWidth: 0.5, drawOnChartArea: name === "left" },
    border: { display: false },
    ticks: {
      color: tokens.quiet,
      font: { size: 11 },
      callback: (value: string | number) => markText(Number(value), unitOn(name)),
    },
  });
  return {
    animation: false,
    responsive: true,
    maintainAspectRatio: false,
    normalized: true,
    parsing: false,
    events: [],
    layout: { padding: { top: 6, right: 6 } },
    scales: {
      x: timeAxis(fromMs, toMs, 9, tokens),
      left: axis("left", {
        ...(lowest === null ? {} : { min: lowest }),
        ...(highest === null ? {} : { max: highest }),
      }),
      right: axis("right", {}),
    },
    plugins: { legend: { display: false }, tooltip: { enabled: false } },
  };
}
