import { metricTitle } from "#core/catalogue/metrics";
import type { ChartData, ChartMark } from "#core/drawing/chart";
import { detectorOf } from "#core/detection/registry";
import type { Limit } from "#core/detection/threshold";
import { bandAt } from "#core/detection/usual";
import { kindMatches } from "#core/catalogue/kinds";
import { toEnvelope, withGaps, type EnvelopePoint } from "#core/telemetry/envelope";
import { lineOf, niceStep, summaryOf, type Summary } from "#core/telemetry/lines";
import { rollSamples } from "#core/telemetry/rollup";
import { finiteOrNull } from "#core/units/format";
import { USUAL_WEEKS, usualInWords, usualOf, type Usual, type UsualBasis } from "#core/stats/usual";
import { DAY_MS, MINUTE_MS } from "#core/time/windows";
import { alarmsOfComponent, listRules, type RuleRow } from "../store/alarms";
import { changesOf } from "../store/changes";
import type { Db } from "../store/database";
import { componentById, type ComponentRow } from "../store/estate";
import { learnedIn } from "../store/learned";
import { exemplarsOf } from "../store/exemplars";
import { spansOf } from "../store/query";
import { readSamples, type SeriesRow } from "../store/signals";
import { overlayOf, type Overlay } from "./overlay";

/** What the charts of one page have in common, each read once. */
export interface ChartsCommon {
  rules: () => RuleRow[];
  componentOf: (id: number) => ComponentRow | undefined;
  marksOf: (componentId: number) => ChartMark[];
}

/** For charts of one window. */
export function chartsCommon(db: Db, fromMs: number, toMs: number): ChartsCommon {
  let rules: RuleRow[] | undefined;
  return {
    rules: () => (rules ??= listRules(db)),
    componentOf: memoize((id: number) => componentById(db, id)),
    marksOf: memoize((id: number) => marksOf(db, id, fromMs, toMs)),
  };
}

function memoize<Value>(read: (id: number) => Value): (id: number) => Value {
  const known = new Map<number, Value>();
  return (id) => {
    if (!known.has(id)) known.set(id, read(id));
    return known.get(id) as Value;
  };
}

export interface ChartOptions {
  /** Points across. */
  width?: number;
  owner?: string;
  overlay?: Overlay;
  common?: ChartsCommon;
}

/** Parts of a drawing that show their highest exemplar. */
export const MOST_EXEMPLARS = 24;

export function chartOf(
  db: Db,
  series: SeriesRow,
  fromMs: number,
  toMs: number,
  { width = 240, owner, overlay = "none", common = chartsCommon(db, fromMs, toMs) }: ChartOptions = {},
): ChartData {
  const { points, legend } = drawnOf(db, series, fromMs, toMs, width);
  const component = series.component_id === null ? undefined : common.componentOf(series.component_id);
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
    limits: limitsFor(common.rules, series, component?.kind),
    marks: component ? common.marksOf(component.id) : [],
    legend,
    exemplars: exemplarsOf(db, series, fromMs, toMs, MOST_EXEMPLARS),
    band: bandOf(db, series, fromMs, toMs),
    over: overlayOf(
      (from, to) => lineOf(spansOf(db, series, from, to, niceStep(to - from, width))),
      overlay,
      fromMs,
      toMs,
    ),
  };
}

/** Points across a band: it changes by the hour. */
const BAND_POINTS = 60;

/** The usual range over a window, each part by what was known then. */
function bandOf(db: Db, series: SeriesRow, fromMs: number, toMs: number): ChartData["band"] {
  const learned = learnedIn(db, series.id, fromMs, toMs);
  if (learned.length === 0) return [];
  const band: ChartData["band"] = [];
  let which = 0;
  for (let point = 0; point <= BAND_POINTS; point++) {
    const atMs = Math.round(fromMs + ((toMs - fromMs) * point) / BAND_POINTS);
    while (which + 1 < learned.length && (learned[which + 1] as { atMs: number }).atMs <= atMs) which++;
    const known = learned[which] as (typeof learned)[number];
    const own = known.atMs <= atMs ? bandAt(known.range, atMs) : undefined;
    // What is never below zero has no band there.
    if (own) band.push([atMs, known.range.middle.some((one) => one < 0) ? own.low : Math.max(0, own.low), own.high]);
  }
  return band;
}

/** The limits of the first rule that judges a series, where its values have any worth drawing. */
function limitsFor(rules: () => RuleRow[], series: SeriesRow, kind: string | undefined): Limit[] {
  if (series.unit === "0/1") return [];
  for (const { enabled, type, settings, scope } of rules()) {
    const detector = enabled ? detectorOf(type) : undefined;
    const inScope =
      scope.subject === "component" ? kind !== undefined && kindMatches(scope.kind, kind) : series.service_id !== null;
    if (inScope && detector?.reads(settings).metric === series.metric) return detector.limits(settings);
  }
  return [];
}

/**
 * Long windows are drawn from what was summed up, short ones from every sample; extremes are in the drawing either
 * way.
 */
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

/** Mean of each hour of the day so far, beside what is usual at it. */
export interface DayVolume {
  label: string;
  unit: string;
  hours: { hour: number; today: number | null; usual: number | null; before: number }[];
  /** What "usual" was made of, in words; null without a past. */
  usualOf: string | null;
}

/** @param basis what to compare with, where there is enough past for it */
export function dayVolume(
  db: Db,
  series: SeriesRow,
  label: string,
  atMs: number,
  basis: UsualBasis = "weekday",
): DayVolume {
  const midnight = Math.floor(atMs / DAY_MS) * DAY_MS;
  const means = new Map<string, { sum: number; count: number }>();
  const add = (fromMs: number, toMs: number) => {
    const samples = readSamples(db, series.id, fromMs, toMs);
    samples.times.forEach((at, index) => {
      const key = `${Math.floor((midnight - at - 1) / DAY_MS) + 1}|${new Date(at).getUTCHours()}`;
      const entry = means.get(key) ?? { sum: 0, count: 0 };
      entry.sum += samples.values[index] as number;
      entry.count++;
      means.set(key, entry);
    });
  };
  add(midnight - 7 * DAY_MS, Math.min(atMs, midnight + DAY_MS));
  if (basis === "weekday")
    for (let week = 2; week <= USUAL_WEEKS; week++)
      add(midnight - week * 7 * DAY_MS, midnight - (week * 7 - 1) * DAY_MS - 1);
  const meanOf = (daysBefore: number, hour: number) => {
    const entry = means.get(`${daysBefore}|${hour}`);
    return entry ? entry.sum / entry.count : undefined;
  };
  let words: Usual | undefined;
  const hours = Array.from({ length: 24 }, (_, hour) => {
    const today = meanOf(0, hour);
    const usual = usualOf((days) => meanOf(days, hour), basis);
    if (usual && today !== undefined) words = usual;
    return {
      hour,
      today: today === undefined ? null : finiteOrNull(today),
      usual: usual ? finiteOrNull(usual.value) : null,
      before: usual?.count ?? 0,
    };
  });
  return { label, unit: series.unit, hours, usualOf: words ? usualInWords(words, atMs) : null };
}

/** What a series usually is within a quarter of an hour of this time of day, and what that was made of. */
export function usualNow(db: Db, seriesId: number, atMs: number): { value: number; words: string } | null {
  const usual = usualOf((days) => {
    const at = atMs - days * DAY_MS;
    const { values } = readSamples(db, seriesId, at - 15 * MINUTE_MS, at + 15 * MINUTE_MS);
    return values.length ? values.reduce((sum, value) => sum + value, 0) / values.length : undefined;
  });
  const value = usual && finiteOrNull(usual.value);
  return usual && value !== null && value !== undefined ? { value, words: usualInWords(usual, atMs) } : null;
}
