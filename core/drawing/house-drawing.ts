import type { ChartOptions } from "chart.js";
import { dayAndTime } from "../time/windows";
import { formatValue, markText } from "../units/format";
import type { ChartData } from "./chart";
import type { Tokens } from "./tokens";
import { aloneDots, roundAxis, STILL, timeAxis } from "./axes";
import { exemplarDataset } from "./exemplars";
import { ofLine } from "./pointed";

/** What the pointer finds. */
const MEAN = "mean";

/** The lines of the house chart: the extremes with what lies between, what it is compared with, exemplars, the mean. */
export function houseData(chart: ChartData, tokens: Tokens) {
  const at = (column: 1 | 2 | 3) => chart.points.map((point) => ({ x: point[0], y: point[column] ?? Number.NaN }));
  const edge = { ...STILL, borderWidth: 0.8, borderColor: tokens.chartEdge };
  const mean = at(2);
  return {
    datasets: [
      ...bandData(chart, tokens),
      { ...edge, label: "highest", data: at(3), backgroundColor: tokens.chartEnvelope, fill: "+1" as const },
      { ...edge, label: "lowest", data: at(1), fill: false as const },
      ...(chart.over.length
        ? [
            {
              ...STILL,
              label: "over",
              data: chart.over.map(([x, y]) => ({ x, y: y ?? Number.NaN })),
              borderWidth: 1.2,
              borderColor: tokens.usual,
              borderDash: [3, 3],
              fill: false as const,
            },
          ]
        : []),
      ...(chart.exemplars.length ? [exemplarDataset(chart.exemplars, tokens.accent, tokens.surface)] : []),
      ...aloneDots(mean, 1.6, tokens.chartLine),
      {
        ...STILL,
        label: MEAN,
        data: mean,
        borderWidth: 1.4,
        borderColor: tokens.chartLine,
        fill: false as const,
        pointHoverRadius: 3,
        pointHoverBackgroundColor: tokens.chartLine,
      },
    ],
  };
}

/** What was usual, as a ground behind the line. */
function bandData({ band }: ChartData, tokens: Tokens) {
  if (band.length < 2) return [];
  const edge = { ...STILL, borderWidth: 0, fill: false as const };
  return [
    {
      ...edge,
      label: "usual, high",
      data: band.map(([x, , y]) => ({ x, y })),
      backgroundColor: tokens.band,
      fill: "+1",
    },
    { ...edge, label: "usual, low", data: band.map(([x, y]) => ({ x, y })) },
  ];
}

/** Limits as hairlines with their values, as far as they lie near what is drawn. */
function limitLines(chart: ChartData, shownTop: number, tokens: Tokens) {
  const near = chart.limits.filter((limit) => chart.unit === "%" || limit.value <= shownTop * 1.3);
  return Object.fromEntries(
    near.map((limit, index) => [
      `limit${limit.severity}`,
      {
        type: "line" as const,
        yMin: limit.value,
        yMax: limit.value,
        borderColor: tokens.severity[limit.severity],
        borderWidth: 1,
        borderDash: limit.severity === "critical" ? [] : [4, 3],
        label: {
          display: true,
          content: formatValue(limit.value, chart.unit).replace(".0", ""),
          position: `${5 + index * 17}%` as const,
          backgroundColor: "transparent",
          textStrokeColor: tokens.surface,
          textStrokeWidth: 4,
          color: tokens.severity[limit.severity],
          font: { size: 10, weight: "normal" as const },
          padding: { top: 0, bottom: 0, left: 2, right: 2 },
        },
      },
    ]),
  );
}

/** What is said of the point under the pointer: the mean, and the extremes where they differ. */
function pointText(chart: ChartData, index: number): string {
  const point = chart.points[index];
  if (!point || point[2] === null) return "no data";
  const mean = formatValue(point[2], chart.unit);
  return point[1] === point[3]
    ? mean
    : `${mean} (${formatValue(point[1], chart.unit)} to ${formatValue(point[3], chart.unit)})`;
}

/** A unit too long for a narrow axis: its name stands beside the chart. */
const isWord = (unit: string) => unit.startsWith("{") || unit === "1/h" || unit === "1/min";

/** Round instants across a pile of charts, at most. */
export const PILE_TICKS = 7;

function pileTimes(chart: ChartData, tokens: Tokens, { isLast }: InPile) {
  const axis = timeAxis(chart.fromMs, chart.toMs, PILE_TICKS, tokens);
  return {
    ...axis,
    grid: { color: tokens.line, lineWidth: 0.5, drawTicks: false },
    ticks: { ...axis.ticks, display: isLast },
  };
}

/** A chart in a pile of charts with one time axis: all begin at the same place, and the last shows the times. */
export interface InPile {
  /** Room for the values at the left, in pixels. */
  axisWidth: number;
  isLast: boolean;
}

/** Room at the right of every chart, in pixels. */
export const RIGHT = 4;

/**
 * @param bounds lowest and highest value of the axis; without them it follows what is drawn
 * @param pile how it is drawn among others with the same times
 */
export function houseOptions(
  chart: ChartData,
  bounds: readonly [number, number] | undefined,
  tokens: Tokens,
  pile?: InPile,
): ChartOptions<"line"> {
  const drawn = chart.points
    .flatMap((point) => [point[1] ?? point[2], point[3] ?? point[2]])
    .filter((value) => value !== null);
  const others = [...chart.over.flatMap((point) => point[1] ?? []), ...chart.exemplars.map((one) => one.value)];
  const shownTop = bounds?.[1] ?? Math.max(...drawn, ...others);
  const shownBottom = bounds?.[0] ?? Math.min(...drawn, ...others);
  return {
    animation: false,
    responsive: true,
    maintainAspectRatio: false,
    normalized: true,
    parsing: false,
    interaction: { mode: ofLine(MEAN), intersect: false, axis: "x" },
    layout: { padding: { bottom: chart.marks.length ? 10 : 0, right: RIGHT, top: 4 } },
    scales: {
      x: pile ? pileTimes(chart, tokens, pile) : timeAxis(chart.fromMs, chart.toMs, 5, tokens),
      y: {
        ...(bounds ? { min: bounds[0], max: bounds[1] } : roundAxis(shownBottom, shownTop, chart.unit, pile ? 3 : 5)),
        ...(pile ? { afterFit: (axis: { width: number }) => void (axis.width = pile.axisWidth) } : {}),
        grid: { color: tokens.line, lineWidth: 0.5 },
        border: { display: false },
        ticks: {
          color: tokens.quiet,
          font: { size: 11 },
          callback: (value) =>
            markText(Number(value), chart.unit === "%" || (pile && isWord(chart.unit)) ? "1" : chart.unit),
        },
      },
    },
    plugins: {
      legend: { display: false },
      tooltip: {
        displayColors: false,
        animation: false,
        filter: (item) => item.dataset.label === MEAN,
        callbacks: {
          title: (items) => (items[0] ? dayAndTime(Number(items[0].parsed.x), undefined, true) : ""),
          label: (item) => pointText(chart, item.dataIndex),
        },
      },
      annotation: chart.limits.length
        ? { animations: false as never, annotations: limitLines(chart, shownTop, tokens) }
        : (false as never),
    },
  };
}
