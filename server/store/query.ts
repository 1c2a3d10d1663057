import { fitsPattern } from "#core/discovery/pattern";
import { kindMatches } from "#core/detection/threshold";
import { decodeChunk, type Samples } from "#core/telemetry/chunk";
import { summaryOf, totalsOfSpans, turnSamples, type Summary, type Turn } from "#core/telemetry/lines";
import { cutSamples } from "#core/telemetry/merge";
import { joinSpans, rollSamples, rollSpans, type Spans } from "#core/telemetry/rollup";
import type { Selection } from "#core/telemetry/selection";
import { HOUR_MS } from "#core/time/windows";
import { prepared, type Db } from "./database";
import { pendingSamples } from "./journal";
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
  origin: string | null;
}

const OWNED = `s.id, s.component_id, s.service_id, s.origin_id, s.metric, s.instance, s.unit, s.form, s.rolled_to,
  c.name AS component, c.kind, c.site, v.name AS service, v.uid AS service_uid, CASE WHEN s.component_id IS NULL THEN o.attributes END AS origin
  FROM series s LEFT JOIN component c ON c.id = s.component_id LEFT JOIN service v ON v.id = s.service_id LEFT JOIN origin o ON o.id = s.origin_id`;

/**
 * The series a selection means, in the order they were met. A service's are those of its members in the window, whole or in
 * part; without a window those of its members now.
 */
export function selectSeries(db: Db, selection: Selection, within?: { fromMs: number; toMs: number }): OwnedSeries[] {
  if (selection.series !== undefined) return prepared<OwnedSeries>(db, `SELECT ${OWNED} WHERE s.id = ?`).all(selection.series);
  const rows = prepared<OwnedSeries>(
    db,
    `SELECT ${OWNED} WHERE s.metric = @metric AND (@component IS NULL OR s.component_id = @component) AND (@site IS NULL OR c.site = @site)
       AND (@service IS NULL OR v.uid = @service OR s.component_id IN
         (SELECT m.component_id FROM member m JOIN service own ON own.id = m.service_id WHERE own.uid = @service AND m.valid_from <= @to AND (m.valid_to IS NULL OR m.valid_to > @from)))
     ORDER BY s.id`,
  ).all({ metric: selection.metric, component: selection.component ?? null, site: selection.site ?? null, service: selection.service ?? null, from: within?.fromMs ?? Number.MAX_SAFE_INTEGER, to: within?.toMs ?? Number.MAX_SAFE_INTEGER });
  return rows.filter((row) => (selection.kind === undefined || (row.kind !== null && kindMatches(selection.kind, row.kind))) && (selection.instance === undefined || fitsPattern(selection.instance, row.instance)));
}

/** The coarsest resolution kept of a series that a step can be made of, with the window in which it is whole steps. */
function rolledPart(db: Db, series: SeriesRow, fromMs: number, toMs: number, stepMs: number): { stepMs: number; fromMs: number; toMs: number } | undefined {
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
 * What a series measured in a window, by spans of `stepMs` aligned to the epoch: from the coarsest resolution that serves,
 * and from samples where none is kept. The first and last span hold only what lies in the window.
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

/** A series turned into rates or changes and summed up by spans; over long windows from what was summed up by hours or so. */
export function turnedSpans(db: Db, series: SeriesRow, turn: Turn, fromMs: number, toMs: number, stepMs: number): Spans {
  if (turn === "value") return spansOf(db, series, fromMs, toMs, stepMs);
  // The sample before the window says what its first one is a difference to.
  const early = fromMs - Math.max(stepMs, HOUR_MS);
  const rolled = series.form === "delta" ? undefined : rolledPart(db, series, early, toMs, stepMs);
  let samples: Samples;
  if (rolled) {
    const spans = spansOf(db, series, early, toMs, rolled.stepMs);
    samples = series.form === "total" ? totalsOfSpans(spans, rolled.stepMs) : { times: spans.starts.map((start) => start + rolled.stepMs - 1), values: spans.last };
  } else samples = readSamples(db, series.id, early, toMs);
  return rollSamples(turnSamples(samples, series.form, turn, fromMs, toMs), stepMs);
}

interface ChunkSummaryRow {
  start_at: number;
  end_at: number;
  count: number;
  min: number | null;
  max: number | null;
  sum: number;
  last: number | null;
}

/** Lowest, mean, highest and last of a series in a window; chunks that lie inside it whole are not unpacked. */
export function summaryIn(db: Db, seriesId: number, fromMs: number, toMs: number): Summary {
  const pending = cutSamples(pendingSamples(db, seriesId), fromMs, toMs);
  const rows = prepared<ChunkSummaryRow>(
    db,
    `SELECT start_at, end_at, count, min, max, sum, last FROM chunk WHERE series_id = ?1 AND start_at <= ?3
       AND start_at >= coalesce((SELECT max(start_at) FROM chunk WHERE series_id = ?1 AND start_at <= ?2), 0) ORDER BY start_at`,
  ).all({ 1: seriesId, 2: fromMs, 3: toMs });
  const packedTo = rows.at(-1)?.end_at ?? 0;
  // What is pending among packed samples has to be put in its place first.
  if (pending.times.length && (pending.times[0] as number) <= packedTo) return summaryOf(rollSamples(readSamples(db, seriesId, fromMs, toMs), Number.MAX_SAFE_INTEGER));
  const sum: Summary & { total: number } = { min: Number.POSITIVE_INFINITY, mean: Number.NaN, max: Number.NEGATIVE_INFINITY, last: Number.NaN, count: 0, total: 0 };
  const take = ({ values }: Samples) => {
    for (let index = 0; index < values.length; index++) {
      const value = values[index] as number;
      if (Number.isNaN(value)) continue;
      if (value < sum.min) sum.min = value;
      if (value > sum.max) sum.max = value;
      if (Number.isFinite(value)) sum.total += value;
      sum.count++;
      sum.last = value;
    }
  };
  for (const row of rows) {
    if (row.end_at < fromMs) continue;
    if (row.start_at >= fromMs && row.end_at <= toMs && row.min !== null && row.max !== null && row.last !== null) {
      sum.min = Math.min(sum.min, row.min);
      sum.max = Math.max(sum.max, row.max);
      sum.total += row.sum;
      sum.count += row.count;
      sum.last = row.last;
      continue;
    }
    const data = prepared<{ data: Uint8Array }>(db, "SELECT data FROM chunk WHERE series_id = ? AND start_at = ?").get(seriesId, row.start_at)?.data;
    if (data) take(cutSamples(decodeChunk(data, row.count), fromMs, toMs));
  }
  take(pending);
  return { min: sum.min, mean: sum.total / sum.count, max: sum.max, last: sum.last, count: sum.count };
}
