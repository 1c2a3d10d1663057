import type { Route } from "./+types/series-csv";
import { idFrom, missing } from "../shell/answers.server";
import { csvAnswer } from "../shell/csv";
import { windowOf } from "../shell/window.server";

/** Every sample of a series in the window, as CSV (RFC 4180). */
export async function loader({ request, params, context }: Route.LoaderArgs) {
  const id = idFrom(params.id, "series");
  const window = windowOf(request, context.now());
  const series = await context.ask("samples", { seriesId: id, fromMs: window.fromMs, toMs: window.toMs });
  if (!series) throw missing("series", id);
  const head = [
    "time",
    `${series.owner} ${series.metric}${series.instance ? ` ${series.instance}` : ""} [${series.unit}]`,
  ];
  return csvAnswer(
    [head, ...Array.from(series.times, (at, index) => [new Date(at).toISOString(), series.values[index] as number])],
    `series-${id}`,
  );
}
