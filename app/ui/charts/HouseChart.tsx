import { CategoryScale, Chart as ChartJs, Filler, LinearScale, LineElement, PointElement, Tooltip } from "chart.js";
import annotationPlugin from "chartjs-plugin-annotation";
import { useEffect, useMemo, useRef } from "react";
import { Line } from "react-chartjs-2";
import { formatValue } from "#core/units/format";
import type { ChartData } from "#core/drawing/chart";
import { useMoveWindow } from "../../shell/window";
import { useOpenTrace } from "../TraceLinks";
import { DragMark } from "./DragMark";
import { useDragRange } from "./drag-range";
import { exemplarAt } from "#core/drawing/exemplars";
import { houseData, houseOptions, type InPile } from "#core/drawing/house-drawing";
import { InSight } from "./InSight";
import { instantPlugin, pointAtInstant } from "./instant";
import { pointBefore } from "./points";
import { railPlugin } from "#core/drawing/rail";
import { useTokens } from "./use-tokens";

ChartJs.register(LinearScale, CategoryScale, PointElement, LineElement, Filler, Tooltip, annotationPlugin);

export interface HouseChartProps {
  chart: ChartData;
  height?: number;
  /** Lowest and highest value of the axis; percentages are always drawn from 0 to 100. */
  bounds?: [number, number];
  /** Set where it stands in a pile of charts with one time axis. */
  pile?: InPile;
}

/** A drag shorter than this is no window. */
const LEAST_WINDOW_MS = 2000;

/**
 * The house chart: a thin line of the mean in a pale envelope of the extremes (with an edge, so that one a pixel wide
 * is seen), limits as hairlines, a rail of marks. The instant under the pointer is shown in every chart of the page;
 * dragging over one moves the window.
 */
export function HouseChart({ chart, height = 132, bounds, pile }: HouseChartProps) {
  const { legend, unit, title, owner } = chart;
  const label = `${title}${owner ? ` of ${owner}` : ""}: last ${formatValue(legend.last, unit)}, from ${formatValue(legend.min, unit)} to ${formatValue(legend.max, unit)}.`;
  return (
    <InSight height={height} label={label}>
      <Drawing chart={chart} height={height} bounds={bounds} pile={pile} label={label} />
    </InSight>
  );
}

interface DrawingProps {
  chart: ChartData;
  height: number;
  bounds: [number, number] | undefined;
  pile: InPile | undefined;
  label: string;
}

function Drawing({ chart, height, bounds, pile, label }: DrawingProps) {
  const tokens = useTokens();
  const data = useMemo(() => houseData(chart, tokens), [chart, tokens]);
  const options = useMemo(() => houseOptions(chart, bounds, tokens, pile), [chart, bounds, tokens, pile]);
  const drawn = useRef<ChartJs<"line"> | null>(null);
  const move = useMoveWindow();
  const openTrace = useOpenTrace();
  const instantAt = (share: number) => {
    const at = drawn.current?.scales.x?.getValueForPixel(share * drawn.current.width) ?? chart.fromMs;
    return Math.max(chart.fromMs, Math.min(chart.toMs, at));
  };
  const range = useDragRange(
    instantAt,
    (from, to) => to - from >= LEAST_WINDOW_MS && move.fix(from, to),
    (x, y) => openTrace(exemplarAt(drawn.current, chart.exemplars, "y", x, y)),
  );
  const { hovered } = range;
  useEffect(() => {
    // A chart that is drawn only now points at nothing, and takes nothing back of where another points.
    if (hovered === null) return undefined;
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
  return (
    <div
      ref={range.box}
      style={{ height, position: "relative", touchAction: "none", contain: "strict" }}
      {...range.handlers}
    >
      <Line ref={drawn as never} data={data} options={options} plugins={plugins} role="img" aria-label={label} />
      {range.drag ? (
        <DragMark from={pixelOf(drawn.current, range.drag.from)} to={pixelOf(drawn.current, range.drag.to)} />
      ) : null}
    </div>
  );
}

const pixelOf = (chart: ChartJs<"line"> | null, atMs: number) => chart?.scales.x?.getPixelForValue(atMs) ?? 0;
