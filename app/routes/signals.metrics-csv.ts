import type { Route } from "./+types/signals.metrics-csv";
import { csvAnswer } from "../shell/csv";
import { metricsAsked } from "../shell/metrics.server";

/** The drawn lines as CSV: one row a span, and of each line its lowest, mean and highest. */
export async function loader({ request, context }: Route.LoaderArgs) {
  const { selections, fromMs, toMs } = metricsAsked(request, context.now());
  const { lines } = await context.ask("metrics", { selections, fromMs, toMs, width: 2000, overlay: "none" });
  const rows = new Map<number, (number | null)[]>();
  lines.forEach((line, index) => {
    for (const [at, min, mean, max] of line.points) {
      let row = rows.get(at);
      if (!row) rows.set(at, (row = Array.from({ length: lines.length * 3 }, () => null)));
      row.splice(index * 3, 3, min, mean, max);
    }
  });
  const head = [
    "time",
    ...lines.flatMap((line) => ["lowest", "mean", "highest"].map((what) => `${line.label}, ${what} [${line.unit}]`)),
  ];
  const body = [...rows].sort((a, b) => a[0] - b[0]).map(([at, row]) => [new Date(at).toISOString(), ...row]);
  return csvAnswer([head, ...body], "metrics");
}
