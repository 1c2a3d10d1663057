import { fitsPattern } from "#core/estate/pattern";
import { kindMatches } from "#core/catalogue/kinds";
import type { Samples } from "#core/telemetry/chunk";
import { totalsOfSpans, transformSamples, type Transform } from "#core/telemetry/lines";
import { joinSpans, rollSamples, rollSpans, type Spans } from "#core/telemetry/rollup";
import type { Selection } from "#core/telemetry/selection";
import { HOUR_MS } from "#core/time/windows";
import { prepared, type Db } from "./database";
import { firstRolled, readRollup, ROLLUP_STEPS } from "./rollups";
import { readSamples, type SeriesRow } from "./signals";

/** A series with what it belongs to. */
export interface OwnedSeries extends SeriesRow {
  component: string | null;
  kind: string | null;
  site: string | null;
  service: string | null;
  service_uid: string | null;
  /** What the sender said of itself, where nobody fits it. */
  resource: string | null;
}

const OWNED = `s.id, s.component_id, s.service_id, s.resource_id, s.metric, s.instance, s.unit, s.instrument, s.rolled_to,
  c.name AS component, c.kind, c.site, v.name AS service, v.uid AS service_uid, CASE WHEN s.component_id IS NULL THEN o.attributes END AS resource
  FROM series s LEFT JOIN component c ON c.id = s.component_id LEFT JOIN service v ON v.id = s.service_id LEFT JOIN resource o ON o.id = s.resource_id`;

/** Series of a metric that are a service's own or one of its members': from these, who are few, not from the metric. */
const OF_SERVICE = `s.id IN (
  SELECT one.id FROM service own CROSS JOIN series one ON one.service_id = own.id AND one.metric = @metric WHERE own.uid = @service
  UNION ALL
  SELECT one.id FROM service own CROSS JOIN member m ON m.service_id = own.id
    CROSS JOIN series one ON one.component_id = m.component_id AND one.metric = @metric
  WHERE own.uid = @service AND m.valid_from <= @to AND (m.valid_to IS NULL OR m.valid_to > @from))`;

/**
 * The series a selection means, in the order they were met. A service's are those of its members in the window, whole
 * or in part; without a window those of its members now.
 */
export const selectSeries = (db: Db, selection: Selection, within?: { fromMs: number; toMs: number }): OwnedSeries[] =>
  ownedSeries(db, selectIds(db, selection, within));

/** Series with what they belong to, in the order they were met. */
export const ownedSeries = (db: Db, ids: readonly number[]): OwnedSeries[] =>
  prepared<OwnedSeries>(db, `SELECT ${OWNED} WHERE s.id IN (SELECT value FROM json_each(?)) ORDER BY s.id`).all(
    JSON.stringify(ids),
  );

/** Only the numbers of the series a selection means: to choose a few of many, what they belong to need not be read. */
export function selectIds(db: Db, selection: Selection, within?: { fromMs: number; toMs: number }): number[] {
  if (selection.series !== undefined)
    return prepared<{ id: number }>(db, "SELECT id FROM series WHERE id = ?")
      .all(selection.series)
      .map(({ id }) => id);
  // Whose they are is looked up where it is asked for only: of thousands of series that is most of the work.
  const byOwner = selection.kind !== undefined || selection.site !== undefined;
  const rows = prepared<{ id: number; instance: string; kind: string | null }>(
    db,
    `SELECT s.id, s.instance, ${byOwner ? "c.kind" : "NULL AS kind"} FROM series s
     ${byOwner ? "LEFT JOIN component c ON c.id = s.component_id" : ""} WHERE ${selection.service === undefined ? "s.metric = @metric" : OF_SERVICE}
       AND (@component IS NULL OR s.component_id = @component)
       ${byOwner ? "AND (@site IS NULL OR c.site = @site)" : ""} ORDER BY s.id`,
  ).all({
    metric: selection.metric,
    component: selection.component ?? null,
    site: selection.site ?? null,
    service: selection.service ?? null,
    from: within?.fromMs ?? Number.MAX_SAFE_INTEGER,
    to: within?.toMs ?? Number.MAX_SAFE_INTEGER,
  });
  return rows
    .filter(
      (row) =>
        (selection.kind === undefined || (row.kind !== null && kindMatches(selection.kind, row.kind))) &&
        (selection.instance === undefined || fitsPattern(selection.instance, row.instance)),
    )
    .map(({ id }) => id);
}

/** The coarsest resolution kept of a series that a step can be made of, with the window in which it is whole steps. */
function rolledPart(
  db: Db,
  series: SeriesRow,
  fromMs: number,
  toMs: number,
  stepMs: number,
): { stepMs: number; fromMs: number; toMs: number } | undefined {
  if (series.rolled_to === null) return undefined;
  for (const level of [...ROLLUP_STEPS].reverse()) {
    if (stepMs % level !== 0) continue;
    const first = firstRolled(db, series.id, level);
    if (first === undefined) continue;
    const from = Math.ceil(Math.max(fromMs, first) / stepMs) * stepMs;
    const to = Math.floor(Math.min(toMs, series.rolled_to) / stepMs) * stepMs;
    if (to > from) return { stepMs: level, fromMs: from, toMs: to };
  }
  return undefined;
}

/**
 * What a series measured in a window, by spans of `stepMs` aligned to the epoch: from the coarsest resolution that
 * serves, and from samples where none is kept. The first and last span hold only what lies in the window.
 */
export function spansOf(db: Db, series: SeriesRow, fromMs: number, toMs: number, stepMs: number): Spans {
  const rolled = rolledPart(db, series, fromMs, toMs, stepMs);
  if (!rolled) return rollSamples(readSamples(db, series.id, fromMs, toMs), stepMs);
  const parts: Spans[] = [];
  if (rolled.fromMs > fromMs) parts.push(rollSamples(readSamples(db, series.id, fromMs, rolled.fromMs - 1), stepMs));
  parts.push(rollSpans(readRollup(db, series.id, rolled.stepMs, rolled.fromMs, rolled.toMs), stepMs));
  if (rolled.toMs <= toMs) parts.push(rollSamples(readSamples(db, series.id, rolled.toMs, toMs), stepMs));
  return joinSpans(parts);
}

/**
 * A series transformed into rates or changes and summed up by spans; over long windows from what was summed up by
 * hours or so.
 */
export function transformedSpans(
  db: Db,
  series: SeriesRow,
  transform: Transform,
  fromMs: number,
  toMs: number,
  stepMs: number,
): Spans {
  if (transform === "value") return spansOf(db, series, fromMs, toMs, stepMs);
  // The sample before the window says what its first one is a difference to.
  const early = fromMs - Math.max(stepMs, HOUR_MS);
  const rolled = series.instrument === "delta" ? undefined : rolledPart(db, series, early, toMs, stepMs);
  let samples: Samples;
  if (rolled) {
    const spans = spansOf(db, series, early, toMs, rolled.stepMs);
    samples =
      series.instrument === "total"
        ? totalsOfSpans(spans, rolled.stepMs)
        : { times: spans.starts.map((start) => start + rolled.stepMs - 1), values: spans.last };
  } else samples = readSamples(db, series.id, early, toMs);
  return rollSamples(transformSamples(samples, series.instrument, transform, fromMs, toMs), stepMs);
}
