import type { Route } from "./+types/series-csv";
import { idFrom, missing } from "../shell/answers.server";
import { windowOf } from "../shell/window.server";

const quoted = (text: string) => (/[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);

/** Every sample of a series in the window, as CSV (RFC 4180). */
export async function loader({ request, params, context }: Route.LoaderArgs) {
  const id = idFrom(params.id, "series");
  const window = windowOf(request, context.now());
  const series = await context.ask("samples", { seriesId: id, fromMs: window.fromMs, toMs: window.toMs });
  if (!series) throw missing("series", id);
  const lines = [`time,${quoted(`${series.owner} ${series.metric}${series.instance ? ` ${series.instance}` : ""} [${series.unit}]`)}`];
  for (let index = 0; index < series.times.length; index++) lines.push(`${new Date(series.times[index] as number).toISOString()},${series.values[index]}`);
  return new Response(`${lines.join("\r\n")}\r\n`, {
    headers: { "Content-Type": "text/csv; charset=utf-8", "Content-Disposition": `attachment; filename="series-${id}.csv"` },
  });
}
