import { metricTitle } from "#core/catalogue/metrics";
import type { Severity } from "#core/alarms/severity";
import { detectorOf } from "#core/detection/registry";
import type { Limit } from "#core/detection/threshold";
import { kindMatches } from "#core/catalogue/kinds";
import { toEnvelope, withGaps, type EnvelopePoint } from "#core/telemetry/envelope";
import { lineOf, niceStep, summaryOf, type Summary } from "#core/telemetry/lines";
import { rollSamples } from "#core/telemetry/rollup";
import { finiteOrNull } from "#core/units/format";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { alarmsOfComponent, listRules } from "../store/alarms";
import { changesOf } from "../store/changes";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { exemplarsOf, type Exemplar } from "../store/exemplars";
import { spansOf } from "../store/query";
import { readSamples, type SeriesRow } from "../store/signals";
import { overlayOf, type Overlay } from "./overlay";

export interface ChartMark {
  atMs: number;
  what: "alarm" | "change";
  severity?: Severity;
  text: string;
}

/** Everything a chart needs; points are [instant, minimum, mean, maximum], null where data is missing. */
export interface ChartData {
  seriesId: number;
  title: string;
  owner: string;
  metric: string;
  instance: string;
  unit: string;
  fromMs: number;
  toMs: number;
  points: [number, number | null, number | null, number | null][];
  limits: Limit[];
  marks: ChartMark[];
  legend: { min: number | null; mean: number | null; max: number | null; last: number | null; count: number };
  /** The same at another time, laid over: instant here, mean there. */
  over: [number, number | null][];
  exemplars: Exemplar[];
}

export interface ChartOptions {
  /** Points across. */
  width?: number;
  owner?: string;
  overlay?: Overlay;
}

/** Parts of a drawing that show their highest exemplar. */
export const MOST_EXEMPLARS = 24;

export function chartOf(
  db: Db,
  series: SeriesRow,
  fromMs: number,
  toMs: number,
  { width = 240, owner, overlay = "none" }: ChartOptions = {},
): ChartData {
  const { points, legend } = drawnOf(db, series, fromMs, toMs, width);
  const component = series.component_id === null ? undefined : componentById(db, series.component_id);
  return {
    seriesId: series.id,
    title: metricTitle(series.metric, series.instance),
    owner: owner ?? component?.name ?? "",
    metric: series.metric,
    instance: series.instance,
    unit: series.unit,
    fromMs,
    toMs,
    points: withGaps(points, (toMs - fromMs) / width).map((point) => [
      Math.round(point.atMs),
      finiteOrNull(point.min),
      finiteOrNull(point.mean),
      finiteOrNull(point.max),
    ]),
    limits: limitsFor(db, series, component?.kind),
    marks: component ? marksOf(db, component.id, fromMs, toMs) : [],
    legend,
    exemplars: exemplarsOf(db, series, fromMs, toMs, MOST_EXEMPLARS),
    over: overlayOf(
      (from, to) => lineOf(spansOf(db, series, from, to, niceStep(to - from, width))),
      overlay,
      fromMs,
      toMs,
    ),
  };
}

/** The limits of the first rule that judges a series, where its values have any worth drawing. */
function limitsFor(db: Db, series: SeriesRow, kind: string | undefined): Limit[] {
  if (series.unit === "0/1") return [];
  for (const { enabled, type, settings, scope } of listRules(db)) {
    const detector = enabled ? detectorOf(type) : undefined;
    const inScope =
      scope.subject === "component" ? kind !== undefined && kindMatches(scope.kind, kind) : series.service_id !== null;
    if (inScope && detector?.reads(settings).metric === series.metric) return detector.limits(settings);
  }
  return [];
}

/** Long windows are drawn from what was summed up, short ones from every sample; extremes are in the drawing either way. */
function drawnOf(
  db: Db,
  series: SeriesRow,
  fromMs: number,
  toMs: number,
  width: number,
): { points: EnvelopePoint[]; legend: ChartData["legend"] } {
  const stepMs = niceStep(toMs - fromMs, width);
  if (stepMs < 5 * MINUTE_MS) {
    const samples = readSamples(db, series.id, fromMs, toMs);
    return {
      points: toEnvelope(samples, fromMs, toMs, width),
      legend: legendOf(summaryOf(rollSamples(samples, Number.MAX_SAFE_INTEGER))),
    };
  }
  const spans = spansOf(db, series, fromMs, toMs, stepMs);
  const line = lineOf(spans);
  const points = Array.from(line.starts, (atMs, index): EnvelopePoint => ({
    atMs: Math.max(atMs, fromMs),
    min: line.min[index] as number,
    mean: line.mean[index] as number,
    max: line.max[index] as number,
    count: spans.count[index] as number,
  }));
  return { points, legend: legendOf(summaryOf(spans)) };
}

export const legendOf = (summary: Summary): ChartData["legend"] => ({
  min: finiteOrNull(summary.min),
  mean: finiteOrNull(summary.mean),
  max: finiteOrNull(summary.max),
  last: finiteOrNull(summary.last),
  count: summary.count,
});

function marksOf(db: Db, componentId: number, fromMs: number, toMs: number): ChartMark[] {
  const alarms = alarmsOfComponent(db, componentId, fromMs, toMs)
    .filter((alarm) => alarm.raised_at >= fromMs)
    .map((alarm): ChartMark => ({ atMs: alarm.raised_at, what: "alarm", severity: alarm.worst, text: alarm.text }));
  const changes = changesOf(db, [componentId], fromMs, toMs, 50).map((change): ChartMark => ({
    atMs: change.at,
    what: "change",
    text: change.summary,
  }));
  return [...alarms, ...changes];
}

/** Mean of each hour of the day so far, beside the mean of the same hours of the seven days before. */
export interface DayVolume {
  label: string;
  unit: string;
  hours: { hour: number; today: number | null; usual: number | null; before: number }[];
}

export function dayVolume(db: Db, series: SeriesRow, label: string, atMs: number): DayVolume {
  const midnight = Math.floor(atMs / DAY_MS) * DAY_MS;
  const samples = readSamples(db, series.id, midnight - 7 * DAY_MS, Math.min(atMs, midnight + DAY_MS));
  const sums = new Map<string, { sum: number; count: number }>();
  for (let index = 0; index < samples.times.length; index++) {
    const at = samples.times[index] as number;
    const key = `${Math.floor((at - midnight) / DAY_MS)}|${Math.floor((((at % DAY_MS) + DAY_MS) % DAY_MS) / HOUR_MS)}`;
    const entry = sums.get(key) ?? { sum: 0, count: 0 };
    entry.sum += samples.values[index] as number;
    entry.count++;
    sums.set(key, entry);
  }
  const meanOf = (day: number, hour: number) => {
    const entry = sums.get(`${day}|${hour}`);
    return entry && entry.count ? entry.sum / entry.count : undefined;
  };
  const hours = Array.from({ length: 24 }, (_, hour) => {
    const before = [-7, -6, -5, -4, -3, -2, -1]
      .map((day) => meanOf(day, hour))
      .filter((value): value is number => value !== undefined);
    const today = meanOf(0, hour);
    return {
      hour,
      today: today === undefined ? null : finiteOrNull(today),
      usual: before.length ? finiteOrNull(before.reduce((sum, value) => sum + value, 0) / before.length) : null,
      before: before.length,
    };
  });
  return { label, unit: series.unit, hours };
}

/** Mean of a series in a quarter of an hour up to now at the same time of the seven days before; what is usual at this hour. */
export function usualNow(db: Db, seriesId: number, atMs: number): number | null {
  let sum = 0;
  let count = 0;
  for (let day = 1; day <= 7; day++) {
    const samples = readSamples(db, seriesId, atMs - day * DAY_MS - 15 * 60_000, atMs - day * DAY_MS + 15 * 60_000);
    for (const value of samples.values) {
      sum += value;
      count++;
    }
  }
  return count ? finiteOrNull(sum / count) : null;
}
