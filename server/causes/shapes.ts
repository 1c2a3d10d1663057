import type { Shape } from "#core/correlation/cause";
import type { HarmGraph } from "#core/correlation/harm";
import { movesTogether } from "#core/correlation/together";
import { MINUTE_MS } from "#core/time/windows";
import type { AlarmRow } from "../store/alarms";
import { callSums } from "../store/call-figures";
import type { Db } from "../store/database";
import { resourcesOf } from "../store/resources";
import { readSamples } from "../store/signals";
import { ANSWERING, operationsOf } from "../store/spans";
import { componentOfNode } from "./harm-map";

/** Figures are laid side by side from so long before it began, for so long at the most. */
const BEFORE = 45;
const MOST = 90;
/** A cause is ahead of what it hurts; by polls and clocks it may seem to follow by a minute. */
const LATEST = -1;
const EARLIEST = 5;
const MOST_OPERATIONS = 50;
/** Figures of one candidate that are looked at, the first ones. */
const MOST_OWN = 4;

type Alarm = Pick<
  AlarmRow,
  "subject_type" | "subject_id" | "subject" | "metric" | "direction" | "qualifier" | "series_id" | "raised_at"
>;

const nodeOf = ({ subject_type, subject_id }: Alarm) => `${subject_type}:${subject_id}`;

/**
 * How the figures of candidates move together with that of what is hurt: of a service where one is, else of whoever was
 * told of first. A candidate's figures are those of its alarms: what is measured, or how its calls are answered, minute by
 * minute; the one that moves together most counts.
 * @param fromMs when it began
 */
export function shapesOf(
  db: Db,
  graph: HarmGraph,
  candidates: readonly string[],
  alarms: readonly Alarm[],
  fromMs: number,
  untilMs: number,
): Map<string, Shape> {
  const shapes = new Map<string, Shape>();
  const sinceMs = Math.floor(fromMs / MINUTE_MS - BEFORE) * MINUTE_MS;
  const minutes = Math.min(MOST, Math.floor((untilMs - sinceMs) / MINUTE_MS));
  const figures = new Map<Alarm, Float64Array | undefined>();
  const figureOf = (alarm: Alarm) => {
    if (!figures.has(alarm)) figures.set(alarm, readFigure(db, graph, alarm, sinceMs, minutes));
    return figures.get(alarm);
  };
  const inTurn = [...alarms].sort((a, b) => a.raised_at - b.raised_at);
  const hurt = [...inTurn.filter((one) => one.subject_type === "service"), ...inTurn];
  for (const node of candidates) {
    const own = inTurn.filter((one) => nodeOf(one) === node && figureOf(one)).slice(0, MOST_OWN);
    const other = hurt.find((one) => nodeOf(one) !== node && !candidates.includes(nodeOf(one)) && figureOf(one));
    if (!other) continue;
    for (const one of own) {
      const together = movesTogether(figureOf(one) as Float64Array, figureOf(other) as Float64Array, LATEST, EARLIEST);
      if (!together || together.r <= (shapes.get(node)?.r ?? -1)) continue;
      const { r, ahead } = together;
      shapes.set(node, { r, mean: r, aheadMs: ahead * MINUTE_MS, with: other.subject });
    }
  }
  const mean = [...shapes.values()].reduce((sum, one) => sum + one.r, 0) / shapes.size;
  for (const one of shapes.values()) one.mean = mean;
  return shapes;
}

/** What an alarm is about, minute by minute, the worse the higher; undefined where there is no such figure. */
function readFigure(
  db: Db,
  graph: HarmGraph,
  alarm: Alarm,
  sinceMs: number,
  minutes: number,
): Float64Array | undefined {
  if (minutes <= 0) return undefined;
  const figure =
    alarm.series_id === null
      ? callFigure(db, graph, alarm, sinceMs, minutes)
      : sampleFigure(db, alarm.series_id, sinceMs, minutes);
  return alarm.direction === "below" ? figure?.map((value) => -value) : figure;
}

/** Means of the samples of each minute; what is measured less often stands until the next. */
function sampleFigure(db: Db, seriesId: number, sinceMs: number, minutes: number): Float64Array {
  const sums = new Float64Array(minutes);
  const counts = new Float64Array(minutes);
  const { times, values } = readSamples(db, seriesId, sinceMs, sinceMs + minutes * MINUTE_MS - 1);
  for (let index = 0; index < times.length; index++) {
    const at = Math.floor(((times[index] as number) - sinceMs) / MINUTE_MS);
    sums[at] = (sums[at] as number) + (values[index] as number);
    counts[at] = (counts[at] as number) + 1;
  }
  let last = Number.NaN;
  return sums.map((sum, at) => (counts[at] ? (last = sum / (counts[at] as number)) : last));
}

/** How calls were answered: the share that failed, or how long they took. */
function callFigure(
  db: Db,
  graph: HarmGraph,
  alarm: Alarm,
  sinceMs: number,
  minutes: number,
): Float64Array | undefined {
  if (!alarm.metric.startsWith("calls.") || alarm.qualifier.startsWith("to ")) return undefined;
  const components =
    alarm.subject_type === "component"
      ? [alarm.subject_id]
      : graph.to(nodeOf(alarm)).flatMap((edge) => (edge.way === "entry" ? (componentOfNode(edge.from) ?? []) : []));
  const operations = operationsOf(
    db,
    components.flatMap((id) => resourcesOf(db, id)),
  ).filter(
    ({ kind, name }) =>
      ANSWERING.has(kind) && (alarm.subject_type === "service" || !alarm.qualifier || name === alarm.qualifier),
  );
  if (operations.length === 0) return undefined;
  const figure = new Float64Array(minutes).fill(Number.NaN);
  const ids = operations.slice(0, MOST_OPERATIONS).map((one) => one.id);
  for (const { atMs, calls, failed, sumUs } of callSums(db, ids, sinceMs, sinceMs + minutes * MINUTE_MS))
    if (calls > 0)
      figure[(atMs - sinceMs) / MINUTE_MS] = alarm.metric === "calls.failing" ? failed / calls : sumUs / calls;
  return figure;
}
