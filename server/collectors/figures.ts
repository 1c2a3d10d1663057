import { readFigure } from "#core/telemetry/openmetrics";

const MOST_BYTES = 262_144;

/** Reads a business figure from an OpenMetrics page. Throws an Error with a reason for people when it cannot. */
export async function fetchFigure(url: string, metric: string, timeoutMs = 2000): Promise<number> {
  const response = await fetch(url, {
    signal: AbortSignal.timeout(timeoutMs),
    redirect: "error",
    headers: { accept: "application/openmetrics-text; version=1.0.0, text/plain;q=0.5" },
  });
  if (!response.ok || !response.body) throw new Error(`${url} answered ${response.status}.`);
  let page = "";
  for await (const part of response.body) {
    page += Buffer.from(part as Uint8Array).toString("utf8");
    if (page.length > MOST_BYTES) throw new Error(`${url} sends more than 256 KiB.`);
  }
  const value = readFigure(page, metric);
  if (value === undefined) throw new Error(`${url} does not show ${metric}.`);
  return value;
}
