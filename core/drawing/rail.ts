import type { Plugin } from "chart.js";
import type { Severity } from "../alarms/severity";
import type { ChartMark } from "./chart";
import type { Tokens } from "./tokens";

/** Draws alarms and changes as small marks on a rail under the axis. */
export const railPlugin = (marks: readonly ChartMark[], tokens: Tokens): Plugin<"line"> => ({
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
