import { parseInstant } from "../time/windows";

/** How the columns of a CSV file are meant. */
export type CsvMapping =
  | { form: "wide"; time: number; values: readonly { column: number; metric: string }[]; unit: string }
  | { form: "long"; time: number; metric: number; value: number; instance: number | null; unit: string };

export interface CsvSeries {
  metric: string;
  instance: string;
  unit: string;
  /** Epoch milliseconds. */
  times: number[];
  values: number[];
}

export interface MappedRows {
  series: CsvSeries[];
  samples: number;
  /** Rows that were left out, with the first reasons. */
  skipped: number;
  reasons: string[];
}

const OLDEST_MS = Date.parse("2000-01-01T00:00:00Z");
const MOST_REASONS = 5;

/**
 * An instant as files write it: ISO 8601 (a blank for the T too), or epoch seconds, milliseconds, microseconds or
 * nanoseconds.
 */
export function readCsvTime(text: string): number | undefined {
  const trimmed = text.trim();
  if (/^\d+(\.\d+)?$/.test(trimmed)) {
    const number = Number(trimmed);
    const ms = number < 1e11 ? number * 1000 : number < 1e14 ? number : number < 1e17 ? number / 1000 : number / 1e6;
    return Math.round(ms);
  }
  const iso = trimmed.replace(/^(\d{4}-\d\d-\d\d) (\d\d)/, "$1T$2");
  return parseInstant(iso) ?? parseInstant(iso.replace(/(\.\d{3})\d+/, "$1"));
}

/** A number as files write it; a comma counts as the decimal sign where there is no point. */
export function readCsvNumber(text: string): number | undefined {
  const trimmed = text.trim();
  if (trimmed === "") return undefined;
  const plain = /^[+-]?\d+,\d+$/.test(trimmed) ? trimmed.replace(",", ".") : trimmed;
  if (/^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$/.test(plain)) return Number(plain);
  if (/^nan$/i.test(plain)) return Number.NaN;
  return undefined;
}

/** Turns rows into series. `firstRow` is the number of the first of them in the file, for the reasons. */
export function mapCsvRows(
  rows: readonly (readonly string[])[],
  mapping: CsvMapping,
  firstRow: number,
  nowMs: number,
): MappedRows {
  const series = new Map<string, CsvSeries>();
  const result: MappedRows = { series: [], samples: 0, skipped: 0, reasons: [] };
  const skip = (row: number, why: string) => {
    result.skipped++;
    if (result.reasons.length < MOST_REASONS) result.reasons.push(`Row ${row + firstRow}: ${why}`);
  };
  const put = (metric: string, instance: string, atMs: number, value: number) => {
    const key = `${metric}\u0000${instance}`;
    let one = series.get(key);
    if (!one) series.set(key, (one = { metric, instance, unit: mapping.unit, times: [], values: [] }));
    one.times.push(atMs);
    one.values.push(value);
    result.samples++;
  };
  rows.forEach((row, index) => {
    if (row.length === 1 && row[0]?.trim() === "") return;
    const timeText = row[mapping.time] ?? "";
    const atMs = readCsvTime(timeText);
    if (atMs === undefined) return skip(index, `“${timeText.slice(0, 30)}” is not a timestamp.`);
    if (atMs < OLDEST_MS || atMs > nowMs + 3_600_000)
      return skip(index, `${new Date(atMs).toISOString().slice(0, 16)}Z lies before the year 2000 or in the future.`);
    if (mapping.form === "long") {
      const metric = (row[mapping.metric] ?? "").trim();
      const value = readCsvNumber(row[mapping.value] ?? "");
      if (!metric || metric.length > 200) return skip(index, "The name of the metric is empty or too long.");
      if (value === undefined) return skip(index, `“${(row[mapping.value] ?? "").slice(0, 30)}” is not a number.`);
      return put(
        metric,
        mapping.instance === null ? "" : (row[mapping.instance] ?? "").trim().slice(0, 200),
        atMs,
        value,
      );
    }
    let taken = 0;
    for (const { column, metric } of mapping.values) {
      const value = readCsvNumber(row[column] ?? "");
      if (value === undefined) continue;
      put(metric, "", atMs, value);
      taken++;
    }
    if (taken === 0) skip(index, "None of its values is a number.");
  });
  result.series = [...series.values()];
  return result;
}

/** What the columns of a file probably mean, from its head and first rows. */
export function guessMapping(head: readonly string[], rows: readonly (readonly string[])[]): CsvMapping | undefined {
  // A row or two that are wrong do not change what a column is.
  const all = (column: number, test: (text: string) => boolean) => {
    const filled = rows.map((row) => row[column] ?? "").filter((text) => text.trim() !== "");
    return filled.length > 0 && filled.filter(test).length >= filled.length * 0.6;
  };
  const time = head.findIndex(
    (name, column) =>
      all(column, (text) => readCsvTime(text) !== undefined) &&
      (/time|date|at$|stamp/i.test(name) || !all(column, (text) => readCsvNumber(text) !== undefined)),
  );
  if (time < 0) return undefined;
  const numbers = head.flatMap((_, column) =>
    column !== time && all(column, (text) => readCsvNumber(text) !== undefined) ? [column] : [],
  );
  const words = head.flatMap((_, column) => (column !== time && !numbers.includes(column) ? [column] : []));
  const named = words.find((column) => /metric|name|series/i.test(head[column] ?? ""));
  if (numbers.length === 1 && named !== undefined)
    return {
      form: "long",
      time,
      metric: named,
      value: numbers[0] as number,
      instance: words.find((column) => column !== named) ?? null,
      unit: "1",
    };
  return numbers.length
    ? {
        form: "wide",
        time,
        values: numbers.map((column) => ({
          column,
          metric:
            (head[column] ?? "")
              .trim()
              .toLowerCase()
              .replaceAll(/[^a-z0-9_.]+/g, "_")
              .replaceAll(/^_+|_+$/g, "") || `column_${column + 1}`,
        })),
        unit: "1",
      }
    : undefined;
}
