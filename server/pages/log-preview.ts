import type { LogDetector } from "#core/detection/detector";
import type { LogSettings } from "#core/detection/logs";
import type { Replayed } from "#core/detection/replay";
import type { RuleInput } from "#core/detection/rule";
import { HALF_HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { lowerBound } from "#core/telemetry/merge";
import type { Db } from "../store/database";
import { componentsById } from "../store/estate";
import { countBySender, usualBySender, type CountedLogs, type SenderCount } from "../store/log-counts";
import { readSearch, searchLogs } from "../store/logs";
import { logsSince } from "../store/log-novelty";
import { componentsOfResources } from "../store/resources";
import { previewOf, wantedOf } from "./preview-shape";

/** Spans that a preview looks at: the window is cut into so many at the most. */
const MOST_SPANS = 2_100;
/** Records that are looked at where there are words, the latest. */
const MOST_FOUND = 20_000;

/** What a rule about logs would have raised: the detector over counts of the past, span by span. */
export function logPreview(db: Db, rule: RuleInput, detector: LogDetector, fromMs: number, toMs: number) {
  const settings = rule.settings as LogSettings;
  const what: CountedLogs = {
    words: settings.words,
    leastSeverity: Number(settings.level),
    onlyNew: settings.condition === "new",
  };
  const since = logsSince(db) ?? toMs;
  const spanMs = settings.minutes * MINUTE_MS;
  const stepMs = Math.max(spanMs, Math.ceil((toMs - Math.max(fromMs, since)) / MOST_SPANS / MINUTE_MS) * MINUTE_MS);
  const named = componentsOfResources(db);
  const rows = new Map(componentsById(db, new Set(named.values())).map((row) => [row.id, row]));
  const covered = wantedOf(db, rule, toMs);
  const part = spanMs / HALF_HOUR_MS;
  // With words one search serves the whole window: a search for each span would take a second for every few.
  const found = what.words ? foundIn(db, what, Math.max(fromMs, since), toMs) : undefined;
  const states = new Map<number, { state: unknown; verdicts: Replayed[] }>();
  let usual = new Map<number, { mean: number; variance: number }>();
  let learnedAt = Number.NEGATIVE_INFINITY;
  for (let atMs = Math.max(fromMs, since) + stepMs; atMs <= toMs; atMs += stepMs) {
    if ((settings.condition === "more" || settings.condition === "none") && atMs - learnedAt >= 4 * HALF_HOUR_MS) {
      usual = found ? found.usual : usualBySender(db, what, atMs, since);
      learnedAt = atMs;
    }
    const counts = found ? found.counts(atMs - spanMs, atMs) : countBySender(db, what, atMs - spanMs, atMs);
    for (const resourceId of new Set([...counts.keys(), ...usual.keys(), ...states.keys()])) {
      const row = rows.get(named.get(resourceId) ?? 0);
      if (!row || !covered(row.id, row.kind)) continue;
      const own = states.get(resourceId) ?? { state: detector.fresh(), verdicts: [] };
      states.set(resourceId, own);
      const { count, example } = counts.get(resourceId) ?? { count: 0, example: "" };
      const known = usual.get(resourceId);
      const input = {
        atMs,
        count,
        example,
        usual: known && { mean: known.mean * part, variance: Math.max(known.mean, known.variance) * part },
      };
      const verdict = detector.evaluate(settings, own.state, input, { instance: "", unit: "1" });
      if (verdict) own.verdicts.push({ ...verdict, atMs });
    }
  }
  const tried = [...states].map(([resourceId, { verdicts }]) => ({
    name: rows.get(named.get(resourceId) ?? 0)?.name ?? "",
    instance: "",
    verdicts,
  }));
  return previewOf(db, detector.describe(settings, "1"), tried, { fromMs, toMs, of: "components" });
}

/** The latest records with some words, counted by senders in any span, and what is usual of them over the whole window. */
function foundIn(db: Db, what: CountedLogs, fromMs: number, toMs: number) {
  const { words, without } = readSearch(what.words);
  const filter = { fromMs, toMs, words, without, leastSeverity: what.leastSeverity };
  const { rows } = searchLogs(db, filter, null, MOST_FOUND, MOST_FOUND * 4);
  rows.sort((a, b) => a.at - b.at);
  const times = Float64Array.from(rows, (row) => row.at);
  const counts = (from: number, to: number) => {
    const bySender = new Map<number, SenderCount>();
    for (let index = lowerBound(times, from); index < rows.length && (times[index] as number) <= to; index++) {
      const row = rows[index] as (typeof rows)[number];
      const known = bySender.get(row.resource_id);
      if (known) known.count++;
      else bySender.set(row.resource_id, { count: 1, example: row.body });
    }
    return bySender;
  };
  const halves = Math.max(1, (toMs - fromMs) / HALF_HOUR_MS);
  const usual = new Map(
    [...counts(fromMs, toMs)].map(([id, { count }]) => [id, { mean: count / halves, variance: count / halves }]),
  );
  return { counts, usual };
}
