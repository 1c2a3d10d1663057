import type { CallPoint } from "../detection/call-usual";
import { KEPT_QUANTILES } from "./request-metrics";

/** One report of a histogram: how many calls ended how, and how long they took, µs: together, and quantiles of it. */
export interface CallReport {
  calls: number;
  failed: number;
  /** Left out where it was not told. */
  tookUs?: number;
  /** By how they ended: calls, and quantiles by their suffix. */
  parts: Map<boolean, { calls: number; quantilesUs: Record<string, number> }>;
}

export type CallReports = Map<number, CallReport>;

/** Puts one kept value of a histogram into the reports: a count, or a sum or quantile in microseconds. */
export function putReport(reports: CallReports, part: string, failed: boolean, atMs: number, value: number): void {
  let report = reports.get(atMs);
  if (!report) reports.set(atMs, (report = { calls: 0, failed: 0, parts: new Map() }));
  if (part === ".sum") {
    report.tookUs = (report.tookUs ?? 0) + value;
    return;
  }
  let own = report.parts.get(failed);
  if (!own) report.parts.set(failed, (own = { calls: 0, quantilesUs: {} }));
  if (part !== ".count") {
    own.quantilesUs[part] = Math.max(own.quantilesUs[part] ?? 0, value);
    return;
  }
  own.calls += value;
  report.calls += value;
  if (failed) report.failed += value;
}

/** Three of four reports have their 95th percentile below it, each counted by its calls. */
export function usualLimit(reports: ReadonlyMap<number, CallReport>): number {
  const list = [...reports.values()]
    .flatMap(({ parts }) => {
      const well = parts.get(false);
      const p95 = well?.quantilesUs[".p95"];
      return well && p95 !== undefined ? [{ p95, calls: well.calls }] : [];
    })
    .sort((a, b) => a.p95 - b.p95);
  let left = list.reduce((sum, one) => sum + one.calls, 0) * 0.75;
  for (const { p95, calls } of list) {
    left -= calls;
    if (left <= 0) return p95;
  }
  return Number.POSITIVE_INFINITY;
}

/** Reports as calls, in order; how many were slow is a lower bound, by the quantiles beyond the limit. */
export function pointsOfReports(reports: ReadonlyMap<number, CallReport>, limitUs: number): CallPoint[] {
  return [...reports]
    .map(([atMs, { calls, failed, tookUs, parts }]) => {
      let slow = 0;
      for (const part of parts.values()) {
        // The lowest quantile beyond the limit tells of the most calls that were.
        const beyond = KEPT_QUANTILES.findLast(({ suffix }) => (part.quantilesUs[suffix] ?? 0) > limitUs)?.beyond ?? 0;
        slow += part.calls * beyond;
      }
      return { atMs, calls, failed, slow, tookUs };
    })
    .sort((a, b) => a.atMs - b.atMs);
}
