import { Chart as ChartJs, Filler, LinearScale, LineElement, PointElement } from "chart.js";
import { useMemo, useRef } from "react";
import { Line } from "react-chartjs-2";
import { formatValue } from "#core/units/format";
import type { DrawnLine } from "#server/pages/metrics";
import { DragMark } from "./DragMark";
import { InSight } from "./InSight";
import { instantPlugin } from "./instant";
import { lineData, lineOptions } from "./line-drawing";
import { useLinePointer } from "./line-pointer";
import { useTokens } from "./use-tokens";

ChartJs.register(LinearScale, PointElement, LineElement, Filler);

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

/** Lines spoken of to those who do not see the drawing; the others are in the table below it. */
const MOST_SPOKEN = 8;

/** Several lines on one or two axes, each with its envelope where there is room; dragging over it moves the window. */
export function LineChart(props: LineChartProps) {
  const { lines, height } = props;
  const label = `${lines.length} ${lines.length === 1 ? "line" : "lines"}: ${lines
    .slice(0, MOST_SPOKEN)
    .map((line) => `${line.label}, last ${formatValue(line.legend.last, line.unit)}`)
    .join("; ")}. Their figures are in the table below.`;
  return (
    <InSight height={height} label={label}>
      <Drawing {...props} label={label} />
    </InSight>
  );
}

function Drawing({ label, height, ...props }: LineChartProps & { label: string }) {
  const { lines, fromMs, toMs, stepMs, lowest, highest, lifted } = props;
  const tokens = useTokens();
  const chart = useRef<ChartJs<"line"> | null>(null);
  const { drag, handlers } = useLinePointer(chart, props);
  const data = useMemo(() => lineData({ lines, stepMs, lifted }, tokens), [lines, stepMs, lifted, tokens]);
  const options = useMemo(
    () => lineOptions({ lines, fromMs, toMs }, lowest, highest, tokens),
    [lines, fromMs, toMs, lowest, highest, tokens],
  );
  const plugins = useMemo(
    () => [instantPlugin({ line: tokens.quiet, text: tokens.text, surface: tokens.raised })],
    [tokens],
  );
  return (
    <div
      style={{
        height,
        position: "relative",
        cursor: "crosshair",
        touchAction: "none",
        userSelect: "none",
        contain: "strict",
      }}
      {...handlers}
    >
      <Line ref={chart as never} data={data} options={options} plugins={plugins} role="img" aria-label={label} />
      {drag ? <DragMark from={drag.from} to={drag.to} /> : null}
    </div>
  );
}
