import { coversKind, type RuleInput } from "#core/detection/rule";
import type { CallDetector } from "#core/detection/detector";
import { learnCalls, LEAST_KNOWN, type CallPoint } from "#core/detection/call-usual";
import { replayCalls } from "#core/detection/replay";
import { pointsOfReports, putReport, usualLimit, type CallReport } from "#core/telemetry/call-reports";
import { requestSeries, SIDE_OF_SPANS } from "#core/telemetry/request-metrics";
import { Sketch } from "#core/telemetry/sketch";
import { DAY_MS, MINUTE_MS } from "#core/time/windows";
import { callMinutes } from "../store/call-figures";
import type { Db } from "../store/database";
import { componentsById } from "../store/estate";
import { requestSeriesOfAll } from "../store/find-series";
import { componentsOfResources as namedTo } from "../store/resources";
import { entriesByService, listServices } from "../store/services";
import { readSamples } from "../store/signals";
import { allOperations } from "../store/spans";
import { previewOf, type Tried } from "./preview-shape";

/** Lines of calls that a preview replays at the most. */
const MOST_LINES = 150;
const LIMIT_QUANTILE = 0.95;

/** Calls of one operation of a component, to be read from the store. */
interface PastLine {
  componentId: number;
  name: string;
  read(fromMs: number, toMs: number): { points: (limitUs: number) => CallPoint[]; limitUs: number };
}

/** What a rule about calls would have raised in a window: the detector over the calls that are kept. */
export function callPreview(db: Db, rule: RuleInput, detector: CallDetector, fromMs: number, toMs: number) {
  const lines = linesOf(db, rule, toMs);
  const names = new Map(
    componentsById(
      db,
      lines.map((one) => one.componentId),
    ).map((row) => [row.id, row.name]),
  );
  const tried: Tried[] = [];
  for (const line of lines.slice(0, MOST_LINES)) {
    const past = line.read(fromMs - DAY_MS, fromMs);
    const usual = learnCalls(past.points(past.limitUs), past.limitUs, DAY_MS / MINUTE_MS);
    const window = line.read(fromMs, toMs);
    // Where nothing is known from before, the window itself says what is usual.
    const known =
      usual.calls >= LEAST_KNOWN
        ? usual
        : learnCalls(window.points(window.limitUs), window.limitUs, (toMs - fromMs) / MINUTE_MS);
    const judged = { instance: line.name, unit: "" };
    const verdicts = replayCalls(detector, rule.settings, window.points(known.limitUs), known, toMs, judged);
    tried.push({ name: names.get(line.componentId) ?? "", instance: line.name, verdicts });
  }
  return previewOf(db, detector.describe(rule.settings, ""), tried, {
    fromMs,
    toMs,
    all: lines.length,
    of: "operations",
  });
}

function linesOf(db: Db, { scope }: RuleInput, atMs: number): PastLine[] {
  const wanted = wantedComponents(db, scope, atMs);
  const counted = new Map<
    string,
    { line: PastLine; series: { id: number; part: string; failed: boolean; us: number }[] }
  >();
  for (const row of requestSeriesOfAll(db)) {
    const read = requestSeries(row.metric, row.instance);
    if (!read || !wanted(row.component_id, row.kind) || (scope.subject === "service" && read.side !== "answers"))
      continue;
    const key = `${row.component_id} ${read.side} ${read.name}`;
    let one = counted.get(key);
    if (!one) {
      const series: { id: number; part: string; failed: boolean; us: number }[] = [];
      one = {
        series,
        line: { componentId: row.component_id, name: read.name, read: (from, to) => reportsOf(db, series, from, to) },
      };
      counted.set(key, one);
    }
    one.series.push({
      id: row.id,
      part: read.part,
      failed: read.failed,
      us: read.part === ".count" ? 1 : row.unit === "ms" ? 1e3 : 1e6,
    });
  }
  const lines = [...counted.values()].map((one) => one.line);
  const kinds = namedTo(db);
  const components = new Map(componentsById(db, new Set(kinds.values())).map((row) => [row.id, row]));
  for (const { id, resource_id, name, kind } of allOperations(db)) {
    const componentId = kinds.get(resource_id);
    const component = componentId === undefined ? undefined : components.get(componentId);
    const side = SIDE_OF_SPANS[kind];
    if (!component || !side || !wanted(component.id, component.kind)) continue;
    if (counted.has(`${component.id} ${side} ${name}`) || (scope.subject === "service" && side !== "answers")) continue;
    lines.push({ componentId: component.id, name, read: (from, to) => minutesOf(db, id, from, to) });
  }
  return lines;
}

function wantedComponents(db: Db, scope: RuleInput["scope"], atMs: number): (id: number, kind: string) => boolean {
  if (scope.subject === "component") return (_id, kind) => coversKind(scope, kind);
  const uids = new Map(listServices(db).map((one) => [one.id, one.uid]));
  const entries = new Set<number>();
  for (const [id, own] of entriesByService(db, atMs))
    if (scope.service === "*" || uids.get(id) === scope.service) for (const one of own) entries.add(one);
  return (id) => entries.has(id);
}

function reportsOf(
  db: Db,
  series: readonly { id: number; part: string; failed: boolean; us: number }[],
  fromMs: number,
  toMs: number,
) {
  const reports = new Map<number, CallReport>();
  for (const { id, part, failed, us } of series) {
    const { times, values } = readSamples(db, id, fromMs, toMs);
    for (let index = 0; index < times.length; index++)
      putReport(reports, part, failed, times[index] as number, (values[index] as number) * us);
  }
  return { points: (limitUs: number) => pointsOfReports(reports, limitUs), limitUs: usualLimit(reports) };
}

function minutesOf(db: Db, operationId: number, fromMs: number, toMs: number) {
  const minutes = callMinutes(db, operationId, fromMs, toMs);
  const all = new Sketch();
  for (const { sketch } of minutes) all.merge(sketch);
  return {
    limitUs: all.count ? all.quantile(LIMIT_QUANTILE) : Number.POSITIVE_INFINITY,
    points: (limitUs: number) =>
      minutes.map(({ atMs, calls, failed, sumUs, sketch }) => ({
        atMs: atMs + MINUTE_MS - 1,
        calls,
        failed,
        slow: calls - sketch.atMost(limitUs),
        tookUs: sumUs,
      })),
  };
}
