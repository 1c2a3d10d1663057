import { metricInfo, metricName } from "#core/catalogue/metrics";
import { severityRank } from "#core/alarms/severity";
import { kindInfo } from "#core/catalogue/kinds";
import { Sketch } from "#core/telemetry/sketch";
import { cardFigure, type CardFigure } from "#core/topology/card-figures";
import { MINUTE_MS } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { measuredAlarmsAt } from "../../store/alarms";
import { mostCalled, operationFigures } from "../../store/call-figures";
import { resourcesOfAll } from "../../store/resources";
import {
  lastSample,
  lastSamples,
  seriesById,
  seriesOfAll,
  seriesOfMetrics,
  seriesOfService,
} from "../../store/signals";
import { operationsOf } from "../../store/spans";
import { isAnswer } from "../traces";
import type { Thing } from "./cards";
import type { At } from "./scope";

/** How old a figure on a card may be. */
const FIGURE_MS = 12 * MINUTE_MS;

/**
 * What stands on the cards of what is drawn by itself: the figure that was chosen; by itself what is in alarm, else the
 * headline of its kind, and of a service its own figure.
 */
export function figuresOf(at: At, drawn: readonly Thing[], chosen = ""): (thing: Thing) => string {
  const rows = drawn.flatMap((thing) => thing.row ?? []);
  const figure = cardFigure(chosen);
  const ofComponent = figure ? chosenFigures(at, figure, rows) : usualFigures(at, rows);
  return ({ row, service }) => {
    if (row) return ofComponent(row.id) ?? "";
    if (figure) return "";
    const series = service?.figure && seriesOfService(at.db, service.id);
    const last = series && lastSample(at.db, series.id, at.atMs, FIGURE_MS);
    return last && service?.figure ? formatValue(last.value, service.figure.unit) : "";
  };
}

type Rows = readonly NonNullable<Thing["row"]>[];
type Reader = (componentId: number) => string | undefined;

function usualFigures(at: At, rows: Rows): Reader {
  const { db, atMs } = at;
  const kinds = new Map(rows.map((row) => [row.id, kindInfo(row.kind)]));
  const measured = seriesOfMetrics(
    db,
    kinds.keys(),
    new Set([...kinds.values()].flatMap((one) => one.headline?.metric ?? [])),
  );
  const unwell = rows.filter((row) => (at.health.get(row.id)?.severity ?? "cleared") !== "cleared");
  const alarmed = alarmedFigures(
    at,
    unwell.map((row) => row.id),
  );
  const lastOf = lastSamples(db, atMs, FIGURE_MS);
  return (id) => {
    const { headline } = kinds.get(id) ?? { headline: null };
    const series = headline ? measured.get(id)?.get(headline.metric) : undefined;
    const last = series && lastOf(series.id);
    return (
      alarmed.get(id) ?? (last && headline ? `${headline.word} ${formatValue(last.value, series.unit)}`.trim() : "")
    );
  };
}

/** The figure in alarm, the worst first, where it is measured. */
function alarmedFigures({ db, atMs }: At, ids: readonly number[]): Map<number, string> {
  const texts = new Map<number, string>();
  const alarms = measuredAlarmsAt(db, ids, atMs).sort((a, b) => severityRank(b.worst) - severityRank(a.worst));
  for (const { component_id: id, series_id: seriesId } of alarms) {
    const series = texts.has(id) ? undefined : seriesById(db, seriesId);
    const last = series && series.unit !== "0/1" ? lastSample(db, series.id, atMs, FIGURE_MS) : undefined;
    if (series && last) texts.set(id, `${metricName(series.metric)} ${formatValue(last.value, series.unit)}`);
  }
  return texts;
}

/** One figure for everything: of its calls where spans tell of them, else the first of its metrics that is measured. */
function chosenFigures(at: At, figure: CardFigure, rows: Rows): Reader {
  const ids = rows.map((row) => row.id);
  const calls = figure.calls ? callsOf(at, ids) : new Map<number, Called>();
  const measured = seriesOfAll(at.db, ids, figure.metrics);
  const lastOf = lastSamples(at.db, at.atMs, FIGURE_MS);
  return (id) => {
    const called = calls.get(id);
    if (called && figure.calls) return callText(called, figure.calls, at);
    for (const metric of figure.metrics) {
      const series = measured.get(id)?.filter((one) => one.metric === metric) ?? [];
      const values = series.flatMap((one) => lastOf(one.id)?.value ?? []);
      const unit = series[0]?.unit ?? "";
      // Of several disks the fullest is told; what is counted or flows is added up.
      const isSum = metricInfo(metric, unit).combine === "sum";
      if (values.length)
        return formatValue(isSum ? values.reduce((sum, one) => sum + one, 0) : Math.max(...values), unit);
    }
    return undefined;
  };
}

interface Called {
  calls: number;
  failed: number;
  sketch: Sketch;
}

/** Calls that each of the components answered in the window. */
function callsOf({ db, fromMs, atMs }: At, ids: readonly number[]): Map<number, Called> {
  const senders = resourcesOfAll(db, ids);
  const operations = operationsOf(db, senders.keys()).filter((one) => isAnswer(one.kind));
  const owner = new Map(operations.map((one) => [one.id, senders.get(one.resource_id)]));
  const counted = mostCalled(db, owner.keys(), fromMs, atMs);
  const sketches = operationFigures(
    db,
    counted.map((one) => one.id),
    fromMs,
    atMs,
  );
  const sums = new Map<number, Called>();
  for (const { id, calls, failed } of counted) {
    const component = owner.get(id);
    if (component === undefined) continue;
    const sum = sums.get(component) ?? { calls: 0, failed: 0, sketch: new Sketch() };
    sums.set(component, sum);
    sum.calls += calls;
    sum.failed += failed;
    const one = sketches.get(id);
    if (one) sum.sketch.merge(one.sketch);
  }
  return sums;
}

function callText({ calls, failed, sketch }: Called, part: NonNullable<CardFigure["calls"]>, { fromMs, atMs }: At) {
  if (part === "rate") return `${formatValue(calls / Math.max(1, (atMs - fromMs) / MINUTE_MS), "1")} calls a min`;
  if (part === "errors") return `${formatValue((failed / calls) * 100, "%")} of calls fail`;
  return `p95 ${formatValue(sketch.quantile(0.95) / 1000, "ms")}`;
}
