import type { Chart, Plugin } from "chart.js";

/** The instant under the pointer, shared by every drawing of a page: each draws its hairline there. */
let shared: number | null = null;
const drawings = new Set<Chart>();
const listeners = new Set<(atMs: number | null) => void>();
let waiting = false;

/** Points at an instant in all drawings at once, or nowhere. */
export function pointAtInstant(atMs: number | null): void {
  if (atMs === shared) return;
  shared = atMs;
  if (waiting) return;
  waiting = true;
  requestAnimationFrame(() => {
    waiting = false;
    for (const chart of drawings) chart.draw();
    for (const listener of listeners) listener(shared);
  });
}

/** Tells of the instant pointed at, for what is no chart; returns what ends it. */
export function onInstant(listener: (atMs: number | null) => void): () => void {
  listeners.add(listener);
  return () => void listeners.delete(listener);
}

export interface InstantStyle {
  line: string;
  text: string;
  surface: string;
}

/** Draws the hairline of the shared instant, with what this drawing has to say of it. */
export function instantPlugin(style: InstantStyle, textAt?: (atMs: number) => string | undefined): Plugin<"line"> {
  return {
    id: "instant",
    install: (chart) => void drawings.add(chart as Chart),
    start: (chart) => void drawings.add(chart as Chart),
    uninstall: (chart) => void drawings.delete(chart as Chart),
    afterDestroy: (chart) => void drawings.delete(chart as Chart),
    afterDraw(chart) {
      const scale = chart.scales.x;
      if (shared === null || !scale) return;
      const { ctx, chartArea } = chart;
      const x = scale.getPixelForValue(shared);
      if (x < chartArea.left || x > chartArea.right) return;
      ctx.save();
      ctx.strokeStyle = style.line;
      ctx.lineWidth = 1;
      ctx.beginPath();
      ctx.moveTo(x, chartArea.top);
      ctx.lineTo(x, chartArea.bottom);
      ctx.stroke();
      const text = textAt?.(shared);
      if (text) {
        ctx.font = "11px sans-serif";
        const width = ctx.measureText(text).width + 8;
        // Beside the line, on the side that has room.
        const left = x + width + 4 < chartArea.right ? x + 3 : x - width - 3;
        ctx.fillStyle = style.surface;
        ctx.fillRect(left, chartArea.top, width, 16);
        ctx.fillStyle = style.text;
        ctx.textBaseline = "middle";
        ctx.fillText(text, left + 4, chartArea.top + 8.5);
      }
      ctx.restore();
    },
  };
}
