import {
  Chart as ChartJs,
  Filler,
  LinearScale,
  LineElement,
  PointElement,
  TimeScale,
  type ChartOptions,
} from "chart.js";
import "chartjs-adapter-date-fns";
import { useMemo, useRef, useState, type PointerEvent } from "react";
import { Line } from "react-chartjs-2";
import Skeleton from "@mui/material/Skeleton";
import { tickLabel } from "#core/time/ticks";
import { formatValue } from "#core/units/format";
import type { DrawnLine } from "#server/pages/metrics";
import type { Tokens } from "../theme/tokens";
import { useOpenTrace } from "./TraceLinks";
import { aloneDots, DragMark, timeAxis, useMounted, useTokens, roundAxis } from "./HouseChart";
import { exemplarAt, exemplarDataset } from "./exemplars";
import { instantPlugin, pointAtInstant } from "./instant";

ChartJs.register(LinearScale, TimeScale, PointElement, LineElement, Filler);

/** Dashes go round slower than colours, so that no two lines look alike. */
const DASHES: readonly number[][] = [[], [7, 3], [2, 3]];
/** So many lines have their envelope drawn; of more, only the lifted one. */
const MOST_ENVELOPES = 3;

export const lineStyle = (tokens: Tokens, index: number) => ({
  colour: tokens.lines[index % tokens.lines.length] as string,
  dash: DASHES[Math.floor(index / tokens.lines.length) % DASHES.length] as number[],
});

/** A short piece of a line as it is drawn, for legends. */
export function LineSwatch({ index }: { index: number }) {
  const tokens = useTokens();
  const { colour, dash } = lineStyle(tokens, index);
  return (
    <svg width="26" height="10" aria-hidden="true" style={{ flex: "none" }}>
      <path d="M1 5 H25" stroke={colour} strokeWidth="2.5" strokeDasharray={dash.join(" ")} />
    </svg>
  );
}

export interface LineChartProps {
  lines: readonly DrawnLine[];
  fromMs: number;
  toMs: number;
  stepMs: number;
  height: number;
  /** Bounds of the left axis where they are set by hand. */
  lowest: number | null;
  highest: number | null;
  lifted: string | null;
  onLift: (key: string | null) => void;
  /** The span under the pointer, or null when it has left. */
  onPoint?: (atMs: number | null) => void;
  onZoom: (fromMs: number, toMs: number) => void;
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

/** Several lines on one or two axes, each with its envelope where there is room for it; dragging over it moves the window. */
export function LineChart({
  lines,
  fromMs,
  toMs,
  stepMs,
  height,
  lowest,
  highest,
  lifted,
  onLift,
  onPoint,
  onZoom,
}: LineChartProps) {
  const tokens = useTokens();
  const mounted = useMounted();
  const chart = useRef<ChartJs<"line"> | null>(null);
  const openTrace = useOpenTrace();
  const [drag, setDrag] = useState<{ from: number; to: number } | null>(null);

  const data = useMemo(() => {
    const still = { pointRadius: 0, pointHoverRadius: 0, tension: 0, spanGaps: false } as const;
    const gap = stepMs * 2.5;
    /** Where spans are missing a break is set, so that the line does not pretend. */
    const broken = (points: readonly (readonly (number | null)[])[], column: number) => {
      const result: { x: number; y: number }[] = [];
      // Series polled seldom have empty spans between their samples; only longer silences are gaps.
      const distances = points.slice(1).map((point, index) => (point[0] as number) - (points[index]?.[0] as number));
      const usual = distances.sort((one, other) => one - other)[Math.floor(distances.length / 2)] ?? stepMs;
      points.forEach((point, index) => {
        const at = point[0] as number;
        const before = points[index - 1]?.[0];
        if (before != null && at - before > Math.max(gap, usual * 2.5))
          result.push({ x: (at + before) / 2, y: Number.NaN });
        result.push({ x: at, y: point[column] ?? Number.NaN });
      });
      return result;
    };
    const datasets = lines.flatMap((line, index) => {
      const { colour, dash } = lineStyle(tokens, index);
      const quiet = lifted !== null && lifted !== line.key;
      const yAxisID = line.axis;
      const envelope = lifted === line.key || (lifted === null && lines.length <= MOST_ENVELOPES);
      const mean = broken(line.points, 2);
      return [
        ...(envelope
          ? [
              {
                ...still,
                yAxisID,
                label: "",
                data: broken(line.points, 3),
                borderWidth: 0.8,
                borderColor: `${colour}59`,
                backgroundColor: `${colour}26`,
                fill: "+1" as const,
              },
              {
                ...still,
                yAxisID,
                label: "",
                data: broken(line.points, 1),
                borderWidth: 0.8,
                borderColor: `${colour}59`,
                fill: false as const,
              },
            ]
          : []),
        ...(line.over.length
          ? [
              {
                ...still,
                yAxisID,
                label: "",
                data: broken(line.over, 1),
                borderWidth: 1,
                borderColor: `${colour}${quiet ? "30" : "90"}`,
                borderDash: [2, 3],
                fill: false as const,
              },
            ]
          : []),
        ...(line.exemplars.length && !quiet
          ? [{ ...exemplarDataset(line.exemplars, colour, tokens.surface), yAxisID }]
          : []),
        {
          ...still,
          yAxisID,
          label: line.key,
          data: mean,
          pointRadius: aloneDots(mean, 2),
          pointBackgroundColor: colour,
          borderWidth: lifted === line.key ? 2.6 : 1.5,
          borderColor: quiet ? `${colour}4d` : colour,
          borderDash: dash,
          fill: false as const,
        },
      ];
    });
    return { datasets };
  }, [lines, lifted, stepMs, tokens]);

  const options = useMemo((): ChartOptions<"line"> => {
    const unitOn = (axis: "left" | "right") => lines.find((line) => line.axis === axis)?.unit ?? "1";
    const axis = (name: "left" | "right", bounds: { min?: number; max?: number }) => ({
      position: name,
      display: name === "left" || lines.some((line) => line.axis === "right"),
      ...roundAxis(...extentOf(lines, name), unitOn(name), 7),
      ...(bounds.min === undefined ? {} : { min: bounds.min }),
      ...(bounds.max === undefined ? {} : { max: bounds.max }),
      grid: { color: tokens.line, lineWidth: 0.5, drawOnChartArea: name === "left" },
      border: { display: false },
      ticks: {
        color: tokens.quiet,
        font: { size: 11 },
        callback: (value: string | number) => formatValue(Number(value), unitOn(name)),
      },
    });
    return {
      animation: false,
      responsive: true,
      maintainAspectRatio: false,
      normalized: true,
      events: [],
      layout: { padding: { top: 6, right: 6 } },
      scales: {
        x: {
          type: "time",
          min: fromMs,
          max: toMs,
          grid: { display: false },
          border: { color: tokens.line },
          ...timeAxis(fromMs, toMs, 9),
          ticks: {
            maxRotation: 0,
            autoSkip: false,
            color: tokens.quiet,
            font: { size: 11 },
            callback: (value) => tickLabel(Number(value), toMs - fromMs),
          },
        },
        left: axis("left", {
          ...(lowest === null ? {} : { min: lowest }),
          ...(highest === null ? {} : { max: highest }),
        }),
        right: axis("right", {}),
      },
      plugins: { legend: { display: false }, tooltip: { enabled: false } },
    };
  }, [lines, fromMs, toMs, lowest, highest, tokens]);

  const plugins = useMemo(
    () => [instantPlugin({ line: tokens.quiet, text: tokens.text, surface: tokens.raised })],
    [tokens],
  );

  const placeOf = (event: PointerEvent) => {
    const box = chart.current?.canvas.getBoundingClientRect();
    return { x: event.clientX - (box?.left ?? 0), y: event.clientY - (box?.top ?? 0) };
  };
  const instantAt = (x: number) =>
    Math.max(fromMs, Math.min(toMs, chart.current?.scales.x?.getValueForPixel(x) ?? fromMs));
  /** The line that runs nearest the pointer, within a finger's breadth. */
  const nearest = (x: number, y: number): string | null => {
    const drawn = chart.current;
    if (!drawn) return null;
    let best: { key: string; distance: number } | null = null;
    const at = instantAt(x);
    for (const line of lines) {
      const point = pointAt(line, at, stepMs);
      const scale = drawn.scales[line.axis];
      if (!point || point[2] === null || !scale) continue;
      const distance = Math.abs(scale.getPixelForValue(point[2]) - y);
      if (distance < 14 && (!best || distance < best.distance)) best = { key: line.key, distance };
    }
    return best?.key ?? null;
  };
  if (!mounted)
    return <Skeleton variant="rectangular" height={height} sx={{ bgcolor: "action.hover" }} animation={false} />;
  const spoken = `${lines.length} ${lines.length === 1 ? "line" : "lines"}: ${lines
    .map((line) => `${line.label}, last ${formatValue(line.legend.last, line.unit)}`)
    .slice(0, 8)
    .join("; ")}. Their figures are in the table below.`;
  return (
    <div
      style={{ height, position: "relative", cursor: "crosshair", touchAction: "none", userSelect: "none" }}
      onPointerMove={(event) => {
        const { x, y } = placeOf(event);
        pointAtInstant(instantAt(x));
        onPoint?.(instantAt(x));
        if (drag) setDrag({ ...drag, to: x });
        else {
          const key = nearest(x, y);
          if (key !== lifted) onLift(key);
        }
      }}
      onPointerLeave={() => {
        pointAtInstant(null);
        onPoint?.(null);
        if (!drag) onLift(null);
      }}
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        // Else the browser would begin to mark text.
        event.preventDefault();
        event.currentTarget.setPointerCapture(event.pointerId);
        const { x } = placeOf(event);
        setDrag({ from: x, to: x });
      }}
      onPointerUp={(event) => {
        // Where it ends is read from the event: the last moves may not have been drawn yet.
        const { x } = placeOf(event);
        if (drag && Math.abs(x - drag.from) > 6) {
          const [a, b] = [instantAt(drag.from), instantAt(x)].sort((one, other) => one - other) as [number, number];
          if (b - a >= 2000) onZoom(a, b);
        } else if (drag) {
          const { y } = placeOf(event);
          openTrace(lines.map((line) => exemplarAt(chart.current, line.exemplars, line.axis, x, y)).find(Boolean));
        }
        setDrag(null);
      }}
      onPointerCancel={() => setDrag(null)}
    >
      <Line ref={chart as never} data={data} options={options} plugins={plugins} role="img" aria-label={spoken} />
      {drag ? <DragMark from={drag.from} to={drag.to} /> : null}
    </div>
  );
}

/** The point of a line that holds at an instant, or undefined where it has none near. */
export function pointAt(line: DrawnLine, atMs: number, stepMs: number): DrawnLine["points"][number] | undefined {
  let low = 0;
  let high = line.points.length;
  while (low < high) {
    const middle = (low + high) >>> 1;
    if ((line.points[middle]?.[0] ?? 0) <= atMs) low = middle + 1;
    else high = middle;
  }
  const before = line.points[low - 1];
  const after = line.points[low];
  const near = before && after ? (atMs - before[0] <= after[0] - atMs ? before : after) : (before ?? after);
  const spacing = before && after ? after[0] - before[0] : stepMs * 3;
  return near && Math.abs(near[0] - atMs) <= Math.max(stepMs * 3, spacing) ? near : undefined;
}
