import { createRequire } from "node:module";
import { createCanvas, GlobalFonts } from "@napi-rs/canvas";
import { CategoryScale, Chart, Filler, LinearScale, LineController, LineElement, PointElement } from "chart.js";
import annotationPlugin from "chartjs-plugin-annotation";
import { titleOf, type ChartData } from "#core/drawing/chart";
import { houseData, houseOptions } from "#core/drawing/house-drawing";
import { railPlugin } from "#core/drawing/rail";
import { DAY } from "#core/drawing/tokens";
import { formatValue } from "#core/units/format";

Chart.register(LineController, LinearScale, CategoryScale, PointElement, LineElement, Filler, annotationPlugin);

const FAMILY = "Atkinson Hyperlegible Next";
const find = createRequire(import.meta.url);
let hasFont = false;

/** The house's typeface, as it ships for the pages. */
function takeFont(): void {
  if (hasFont) return;
  hasFont = true;
  const file =
    "@fontsource-variable/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-wght-normal.woff2";
  GlobalFonts.registerFromPath(find.resolve(file), FAMILY);
  Chart.defaults.font.family = FAMILY;
}

export const PICTURE = { width: 600, height: 180 } as const;
/** Drawn finer than it is shown, so that it is sharp on fine screens. */
const RATIO = 1.5;
const TITLE_ROOM = 22;

/** A chart of the house as a picture (PNG), with its title and what it was last. */
export function drawChart(chart: ChartData): Buffer {
  takeFont();
  const { width, height } = PICTURE;
  const whole = createCanvas(width * RATIO, height * RATIO);
  const context = whole.getContext("2d");
  context.fillStyle = DAY.surface;
  context.fillRect(0, 0, whole.width, whole.height);
  const inner = createCanvas(width, height - TITLE_ROOM);
  const drawing = new Chart(inner as never, {
    type: "line",
    data: houseData(chart, DAY) as never,
    options: {
      ...houseOptions(chart, chart.unit === "%" ? [0, 100] : undefined, DAY),
      responsive: false,
      devicePixelRatio: RATIO,
      events: [],
    } as never,
    plugins: [railPlugin(chart.marks, DAY) as never],
  });
  context.drawImage(inner, 0, TITLE_ROOM * RATIO);
  drawing.destroy();
  context.scale(RATIO, RATIO);
  context.font = `600 13px "${FAMILY}"`;
  context.fillStyle = DAY.text;
  context.fillText(shortened(context, titleOf(chart), width - 150), 6, 15);
  context.font = `12px "${FAMILY}"`;
  context.fillStyle = DAY.quiet;
  context.textAlign = "right";
  context.fillText(
    `last ${formatValue(chart.legend.last, chart.unit)}, max ${formatValue(chart.legend.max, chart.unit)}`,
    width - 6,
    15,
  );
  return whole.toBuffer("image/png");
}

function shortened(context: { measureText(text: string): { width: number } }, text: string, room: number): string {
  if (context.measureText(text).width <= room) return text;
  let cut = text;
  while (cut.length > 4 && context.measureText(`${cut}…`).width > room) cut = cut.slice(0, -1);
  return `${cut}…`;
}
