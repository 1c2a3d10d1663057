/**
 * Value of a metric without labels in an OpenMetrics 1.0 text page; undefined when it is not there or not a number.
 * Comments and other metrics are passed over, a time stamp after the value is ignored.
 */
export function readFigure(page: string, metric: string): number | undefined {
  for (const line of page.split("\n")) {
    if (!line.startsWith(metric)) continue;
    const match = /^([a-zA-Z_:][a-zA-Z0-9_:]*)(\{\})? (\S+)(?: \S+)?$/.exec(line.trim());
    if (match?.[1] !== metric) continue;
    const value = Number(match[3]);
    if (Number.isFinite(value)) return value;
  }
  return undefined;
}
