import type { Route } from "./+types/signals.metrics-csv";
import { csvAnswer } from "../shell/csv";
import { metricsAsked } from "../shell/metrics.server";

const OVER_NAMES = {
  none: "",
  day: "previous day",
  week: "previous week",
  seven: "mean of the previous 7 days",
} as const;

/** What the file is called: the first metric, how many more, and what is compared. */
function nameOf(metrics: readonly string[], overlay: keyof typeof OVER_NAMES): string {
  const [first = "metrics"] = metrics;
  const more = metrics.length > 1 ? `-and-${metrics.length - 1}-more` : "";
  const against = overlay === "none" ? "" : `-vs-${OVER_NAMES[overlay].replaceAll(" ", "-")}`;
  return `${first}${more}${against}`.replaceAll(/[^\w.-]+/g, "-");
}

/**
 * The drawn lines as CSV: one row per span; of each line its lowest, mean and highest, and what it is compared with.
 */
export async function loader({ request, context }: Route.LoaderArgs) {
  const { selections, fromMs, toMs, overlay } = metricsAsked(request, context.now());
  const { lines } = await context.ask("metrics", { selections, fromMs, toMs, width: 2000, overlay });
  const columns = overlay === "none" ? 3 : 4;
  const rows = new Map<number, (number | null)[]>();
  const rowAt = (at: number) => {
    let row = rows.get(at);
    if (!row) rows.set(at, (row = Array.from({ length: lines.length * columns }, () => null)));
    return row;
  };
  lines.forEach((line, index) => {
    for (const [at, min, mean, max] of line.points) rowAt(at).splice(index * columns, 3, min, mean, max);
    if (columns === 4) for (const [at, mean] of line.over) rowAt(at)[index * columns + 3] = mean;
  });
  const head = [
    "time",
    ...lines.flatMap((line) =>
      ["lowest", "mean", "highest", ...(columns === 4 ? [OVER_NAMES[overlay]] : [])].map(
        (what) => `${line.label}, ${what} [${line.unit}]`,
      ),
    ),
  ];
  const body = [...rows].sort((a, b) => a[0] - b[0]).map(([at, row]) => [new Date(at).toISOString(), ...row]);
  return csvAnswer([head, ...body], nameOf([...new Set(selections.flatMap((one) => one.metric ?? []))], overlay));
}
