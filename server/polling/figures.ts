import { readFigure } from "#core/telemetry/openmetrics";
import { fetchText } from "../outside/fetch-text";

const MOST_BYTES = 262_144;

/** Reads a business figure from an OpenMetrics page. Throws an Error with a reason for people when it cannot. */
export async function fetchFigure(url: string, metric: string, timeoutMs = 2000): Promise<number> {
  const { status, text } = await fetchText(
    url,
    { timeoutMs, mostBytes: MOST_BYTES },
    { headers: { accept: "application/openmetrics-text; version=1.0.0, text/plain;q=0.5" } },
  );
  if (status < 200 || status > 299) throw new Error(`${url} answered ${status}.`);
  const value = readFigure(text, metric);
  if (value === undefined) throw new Error(`${url} does not show ${metric}.`);
  return value;
}
