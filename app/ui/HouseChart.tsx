import {
  CategoryScale,
  Chart as ChartJs,
  Filler,
  LinearScale,
  LineElement,
  PointElement,
  TimeScale,
  Tooltip,
  type ChartOptions,
  type Plugin,
} from "chart.js";
import "chartjs-adapter-date-fns";
import annotationPlugin from "chartjs-plugin-annotation";
import { useEffect, useMemo, useRef, useState } from "react";
import { Line } from "react-chartjs-2";
import { useColorScheme } from "@mui/material/styles";
import type { Severity } from "#core/alarms/severity";
import { tickLabel, timeTicks } from "#core/time/ticks";
import { DAY_MS, dayAndTime } from "#core/time/windows";
import { valueAxis } from "#core/units/axis";
import { formatValue } from "#core/units/format";
import type { ChartData, ChartMark } from "#server/pages/charts";
import { useMoveWindow } from "../shell/window";
import { tokensOf, type Tokens } from "../theme/tokens";
import { useOpenTrace } from "./TraceLinks";
import { useDragRange } from "./drag-range";
import { exemplarAt, exemplarDataset } from "./exemplars";
import { instantPlugin, pointAtInstant } from "./instant";

ChartJs.register(LinearScale, CategoryScale, TimeScale, PointElement, LineElement, Filler, Tooltip, annotationPlugin);

/** Theme in force, once the browser knows it. */
export function useTokens(): Tokens {
  const { mode, systemMode } = useColorScheme();
  return tokensOf(mode === "system" ? systemMode : mode);
}

/** True in the browser after the first drawing: canvases are left out of what the server sends. */
export function useMounted(): boolean {
  const [mounted, setMounted] = useState(false);
  useEffect(() => setMounted(true), []);
  return mounted;
}

/** Room a label takes along the axis, in pixels: over many days each names its day, else most are times of day. */
const labelRoom = (spanMs: number) => (spanMs > 3 * DAY_MS ? 72 : 58);

/** Puts the ticks of a time axis on round instants, no more than the drawing has room for. */
export const timeAxis = (fromMs: number, toMs: number, most: number) => ({
  afterBuildTicks: (axis: { ticks: { value: number }[]; chart: { width: number } }) => {
    const fit = Math.max(2, Math.floor((axis.chart.width - 60) / labelRoom(toMs - fromMs)));
    axis.ticks = timeTicks(fromMs, toMs, Math.min(most, fit)).map((value) => ({ value }));
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

/** A sample with nothing on either side makes no line; it is drawn as a dot. */
export const aloneDots = (points: readonly { y: number }[], radius: number): number[] =>
  points.map(({ y }, index) =>
    Number.isNaN(y) ||
    !Number.isNaN(points[index - 1]?.y ?? Number.NaN) ||
    !Number.isNaN(points[index + 1]?.y ?? Number.NaN)
      ? 0
      : radius,
  );

/** Draws alarms and changes as small marks on a rail under the axis. */
const railPlugin = (marks: readonly ChartMark[], tokens: Tokens): Plugin<"line"> => ({
  id: "rail",
  afterDraw(chart) {
    const scale = chart.scales.x;
    if (!scale || !marks.length) return;
    const { ctx } = chart;
    const y = chart.height - 6;
    ctx.save();
    for (const mark of marks) {
      const x = scale.getPixelForValue(mark.atMs);
      if (x < chart.chartArea.left - 1 || x > chart.chartArea.right + 1) continue;
      ctx.fillStyle = mark.what === "alarm" ? tokens.severity[(mark.severity ?? "warning") as Severity] : tokens.quiet;
      ctx.beginPath();
      if (mark.what === "alarm") {
        // The pennant of the status mark, small.
        ctx.moveTo(x - 4, y - 4);
        ctx.lineTo(x + 5, y);
        ctx.lineTo(x - 4, y + 4);
      } else ctx.rect(x - 1, y - 4, 2, 8);
      ctx.fill();
    }
    ctx.restore();
  },
});

export interface HouseChartProps {
  chart: ChartData;
  height?: number;
  /** Lowest and highest value of the axis; percentages are always drawn from 0 to 100. */
  bounds?: [number, number];
}

/** The point that holds at an instant: the last one that began before it. */
function pointBefore(points: ChartData["points"], atMs: number): ChartData["points"][number] | undefined {
  let low = 0;
  let high = points.length;
  while (low < high) {
    const middle = (low + high) >>> 1;
    if ((points[middle]?.[0] ?? 0) <= atMs) low = middle + 1;
    else high = middle;
  }
  return points[low - 1];
}

/** A drag shorter than this is no window. */
const LEAST_WINDOW_MS = 2000;

/**
 * The house chart: a thin line of the mean in a pale envelope of the extremes (with an edge, so that one a pixel wide is seen), limits as hairlines, a rail of marks. The
 * instant under the pointer is shown in every chart of the page; dragging over one moves the window.
 */
export function HouseChart({ chart, height = 132, bounds }: HouseChartProps) {
  const tokens = useTokens();
  const mounted = useMounted();
  const data = useMemo(() => {
    const at = (column: 1 | 2 | 3) => chart.points.map((point) => ({ x: point[0], y: point[column] ?? Number.NaN }));
    const still = { pointRadius: 0, pointHoverRadius: 0, tension: 0, spanGaps: false } as const;
    const mean = at(2);
    return {
      datasets: [
        {
          ...still,
          label: "highest",
          data: at(3),
          borderWidth: 0.8,
          borderColor: tokens.chartEdge,
          backgroundColor: tokens.chartEnvelope,
          fill: "+1" as const,
        },
        {
          ...still,
          label: "lowest",
          data: at(1),
          borderWidth: 0.8,
          borderColor: tokens.chartEdge,
          fill: false as const,
        },
        ...(chart.over.length
          ? [
              {
                ...still,
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
        {
          ...still,
          label: "mean",
          data: mean,
          pointRadius: aloneDots(mean, 1.6),
          pointBackgroundColor: tokens.chartLine,
          borderWidth: 1.4,
          borderColor: tokens.chartLine,
          fill: false as const,
          pointHoverRadius: 3,
          pointHoverBackgroundColor: tokens.chartLine,
        },
      ],
    };
  }, [chart.points, chart.over, chart.exemplars, tokens]);
  const options = useMemo((): ChartOptions<"line"> => {
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
      interaction: { mode: "index", intersect: false, axis: "x" },
      layout: { padding: { bottom: chart.marks.length ? 10 : 0, right: 4, top: 4 } },
      scales: {
        x: {
          type: "time",
          min: chart.fromMs,
          max: chart.toMs,
          grid: { display: false },
          border: { color: tokens.line },
          ...timeAxis(chart.fromMs, chart.toMs, 5),
          ticks: {
            maxRotation: 0,
            autoSkip: false,
            color: tokens.quiet,
            font: { size: 11 },
            callback: (value) => tickLabel(Number(value), chart.toMs - chart.fromMs),
          },
        },
        y: {
          ...(bounds ? { min: bounds[0], max: bounds[1] } : roundAxis(shownBottom, shownTop, chart.unit, 5)),
          grid: { color: tokens.line, lineWidth: 0.5 },
          border: { display: false },
          ticks: {
            color: tokens.quiet,
            font: { size: 11 },
            callback: (value) => formatValue(Number(value), chart.unit === "%" ? "1" : chart.unit),
          },
        },
      },
      plugins: {
        legend: { display: false },
        tooltip: {
          displayColors: false,
          animation: false,
          filter: (item) => item.dataset.label === "mean",
          callbacks: {
            title: (items) => (items[0] ? dayAndTime(Number(items[0].parsed.x), undefined, true) : ""),
            label: (item) => {
              const point = chart.points[item.dataIndex];
              if (!point || point[2] === null) return "no data";
              return point[1] === point[3]
                ? formatValue(point[2], chart.unit)
                : `${formatValue(point[2], chart.unit)} (${formatValue(point[1], chart.unit)} to ${formatValue(point[3], chart.unit)})`;
            },
          },
        },
        annotation: {
          animations: false as never,
          annotations: Object.fromEntries(
            chart.limits
              .filter((limit) => chart.unit === "%" || limit.value <= shownTop * 1.3)
              .map((limit, index) => [
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
          ),
        },
      },
    };
  }, [chart, tokens, bounds]);
  const drawn = useRef<ChartJs<"line"> | null>(null);
  const move = useMoveWindow();
  const instantAt = (share: number) => {
    const scale = drawn.current?.scales.x;
    return Math.max(
      chart.fromMs,
      Math.min(chart.toMs, scale?.getValueForPixel(share * (drawn.current?.width ?? 0)) ?? chart.fromMs),
    );
  };
  const openTrace = useOpenTrace();
  const range = useDragRange(
    instantAt,
    (from, to) => to - from >= LEAST_WINDOW_MS && move.fix(from, to),
    (x, y) => openTrace(exemplarAt(drawn.current, chart.exemplars, "y", x, y)),
  );
  const { hovered } = range;
  useEffect(() => {
    pointAtInstant(hovered);
    return () => pointAtInstant(null);
  }, [hovered]);
  const plugins = useMemo(() => {
    const textAt = (atMs: number) => {
      // Where the pointer is, the fuller text stands already.
      if (drawn.current?.tooltip?.getActiveElements().length) return undefined;
      const value = pointBefore(chart.points, atMs)?.[2];
      return value === undefined || value === null ? "no data" : formatValue(value, chart.unit);
    };
    return [
      railPlugin(chart.marks, tokens),
      instantPlugin({ line: tokens.quiet, text: tokens.text, surface: tokens.raised }, textAt),
    ];
  }, [chart.marks, chart.points, chart.unit, tokens]);
  const spoken = `${chart.title}${chart.owner ? ` of ${chart.owner}` : ""}: last ${formatValue(chart.legend.last, chart.unit)}, from ${formatValue(chart.legend.min, chart.unit)} to ${formatValue(chart.legend.max, chart.unit)}.`;
  if (!mounted) return <div style={{ height, background: "var(--mui-palette-action-hover)" }} />;
  return (
    <div ref={range.box} style={{ height, position: "relative", touchAction: "none" }} {...range.handlers}>
      <Line ref={drawn as never} data={data} options={options} plugins={plugins} role="img" aria-label={spoken} />
      {range.drag ? (
        <DragMark from={pixelOf(drawn.current, range.drag.from)} to={pixelOf(drawn.current, range.drag.to)} />
      ) : null}
    </div>
  );
}

const pixelOf = (chart: ChartJs<"line"> | null, atMs: number) => chart?.scales.x?.getPixelForValue(atMs) ?? 0;

/** The window being dragged over a drawing, in pixels from its left edge. */
export function DragMark({ from, to }: { from: number; to: number }) {
  if (Math.abs(to - from) <= 6) return null;
  return (
    <div
      style={{
        position: "absolute",
        top: 4,
        bottom: 24,
        left: Math.min(from, to),
        width: Math.abs(to - from),
        background: "color-mix(in srgb, var(--mui-palette-primary-main) 16%, transparent)",
        borderInline: "1px solid var(--mui-palette-primary-main)",
        pointerEvents: "none",
      }}
    />
  );
}
