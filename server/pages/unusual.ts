import { metricName } from "#core/catalogue/metrics";
import { countAtLeast, scoreOf } from "#core/stats/tails";
import { logLevel } from "#core/telemetry/log-levels";
import { DAY_MS, HALF_HOUR_MS, HOUR_MS } from "#core/time/windows";
import { alarmsIn } from "../store/alarms";
import type { Db } from "../store/database";
import { componentsById } from "../store/estate";
import { expectedFrom } from "../store/expected";
import { findingsIn } from "../store/findings";
import { logsSince, newPatterns, patternCounts, patternPast } from "../store/log-novelty";
import { componentsOfResources } from "../store/resources";
import { listServices, membersAt } from "../store/services";

/** Entries that are looked at, and those that are shown. */
const MOST_READ = 2_000;
const MOST_SHOWN = 200;
/** Days that patterns of logs are compared with. */
const LOG_DAYS = 7;
/** OpenTelemetry severity number from which a new pattern is worth telling: warnings. */
const WARNING = 13;
/** A pattern is told of when it came so much more often than usual, and so often at least. */
const MORE = 2;
const LEAST_COUNT = 10;
const LEAST_SCORE = 50;

export interface UnusualQuestion {
  fromMs: number;
  toMs: number;
  /** Short name of a service, a site, or a part of what is shown; empty for all. */
  service: string;
  site: string;
  text: string;
  sort: "score" | "onset";
}

export interface Oddity {
  key: string;
  what: "figure" | "calls" | "pattern";
  subject: { type: "component" | "service" | "other"; id: number; name: string; site: string; host: string };
  services: string[];
  metric: string;
  qualifier: string;
  score: number;
  onsetMs: number;
  endedMs: number | null;
  text: string;
  seriesId: number | null;
  patternId: number | null;
  /** Whether it is an alarm, or evidence only. */
  isAlarm: boolean;
}

/** What was farthest from its usual in a window: where it clusters, and in which order it began. */
export function unusualPage(db: Db, question: UnusualQuestion) {
  const { fromMs, toMs } = question;
  const names = namesOf(db, toMs);
  const all = [
    ...fromFindings(db, fromMs, toMs, names),
    ...fromAlarms(db, fromMs, toMs, names),
    ...fromLogs(db, fromMs, toMs, names),
  ];
  const words = question.text.toLowerCase().split(/\s+/).filter(Boolean);
  const shown = all.filter(
    (one) =>
      (!question.service || one.services.includes(question.service)) &&
      (!question.site || one.subject.site === question.site) &&
      words.every((word) => `${one.subject.name} ${one.text} ${one.qualifier}`.toLowerCase().includes(word)),
  );
  shown.sort((a, b) =>
    question.sort === "onset" ? a.onsetMs - b.onsetMs : b.score - a.score || a.onsetMs - b.onsetMs,
  );
  const first = shown.reduce<Oddity | undefined>(
    (min, one) => (min && min.onsetMs <= one.onsetMs ? min : one),
    undefined,
  );
  return {
    total: all.length,
    count: shown.length,
    oddities: shown.slice(0, MOST_SHOWN),
    first: first ? { name: first.subject.name, text: first.text, atMs: first.onsetMs } : null,
    clusters: {
      service: clustersOf(shown, (one) => one.services.map((uid) => [uid, names.services.get(uid) ?? uid])),
      site: clustersOf(shown, (one) => (one.subject.site ? [[one.subject.site, one.subject.site]] : [])),
      host: clustersOf(shown, (one) => (one.subject.host ? [[one.subject.host, one.subject.host]] : [])),
      what: clustersOf(shown, (one) => [[one.metric, one.what === "pattern" ? "Log pattern" : metricName(one.metric)]]),
    },
    expected: expectedFrom(db, toMs).map((one) => ({
      id: one.id,
      name: names.of(one.subject.type, one.subject.id).name,
      what: metricName(one.metric),
      qualifier: one.qualifier,
      reason: one.reason,
      by: one.by,
      untilMs: one.untilMs,
    })),
  };
}

/** Names of what oddities are about, read once. */
function namesOf(db: Db, atMs: number) {
  const services = listServices(db);
  const uids = new Map(services.map((one) => [one.id, one.uid]));
  const servicesOf = new Map<number, string[]>();
  for (const row of membersAt(db, atMs)) {
    const uid = uids.get(row.service_id);
    const own = servicesOf.get(row.component_id) ?? [];
    if (uid !== undefined) servicesOf.set(row.component_id, [...own, uid]);
  }
  const known = new Map<number, ReturnType<typeof componentsById>[number] | undefined>();
  const component = (id: number) => {
    if (!known.has(id)) known.set(id, componentsById(db, [id])[0]);
    return known.get(id);
  };
  return {
    services: new Map(services.map((one) => [one.uid, one.name])),
    servicesOf: (type: string, id: number): string[] =>
      type === "service" ? [uids.get(id) ?? ""] : type === "component" ? (servicesOf.get(id) ?? []) : [],
    of: (type: string, id: number): Oddity["subject"] => {
      if (type === "service") {
        const name = services.find((one) => one.id === id)?.name ?? "";
        return { type: "service", id, name, site: "", host: "" };
      }
      const row = type === "component" ? component(id) : undefined;
      const host = row?.host_id == null ? row : component(row.host_id);
      return {
        type: row ? "component" : "other",
        id,
        name: row?.name ?? "",
        site: row?.site ?? "",
        host: host?.name ?? "",
      };
    },
  };
}
type Names = ReturnType<typeof namesOf>;

function fromFindings(db: Db, fromMs: number, toMs: number, names: Names): Oddity[] {
  return findingsIn(db, fromMs, toMs, MOST_READ).map((row) => ({
    key: `f${row.id}`,
    what: "figure",
    subject: names.of(row.subject_type, row.subject_id),
    services: names.servicesOf(row.subject_type, row.subject_id),
    metric: row.metric,
    qualifier: row.qualifier,
    score: row.score,
    onsetMs: row.onset_at,
    endedMs: row.ended_at,
    text: row.text,
    seriesId: row.series_id,
    patternId: null,
    isAlarm: false,
  }));
}

/** Alarms of what is judged against its usual; a limit that was passed says nothing of what is usual. */
function fromAlarms(db: Db, fromMs: number, toMs: number, names: Names): Oddity[] {
  return alarmsIn(db, fromMs, toMs, MOST_READ)
    .filter((row) => row.detector === "usual" || row.detector === "calls")
    .map((row) => ({
      key: `a${row.id}`,
      what: row.detector === "calls" ? "calls" : "figure",
      subject: names.of(row.subject_type, row.subject_id),
      services: names.servicesOf(row.subject_type, row.subject_id),
      metric: row.metric,
      qualifier: row.qualifier,
      score: row.score,
      onsetMs: row.onset_at,
      endedMs: row.cleared_at,
      text: row.text,
      seriesId: row.series_id,
      patternId: null,
      isAlarm: true,
    }));
}

/** Patterns never said before, and those that came much more often than at this time of other days. */
function fromLogs(db: Db, fromMs: number, toMs: number, names: Names): Oddity[] {
  const since = logsSince(db);
  if (since === undefined || toMs - fromMs > DAY_MS) return [];
  const components = componentsOfResources(db);
  const entry = (
    one: { patternId: number; resourceId: number; text: string; firstAtMs: number },
    score: number,
    text: string,
  ): Oddity => {
    const id = components.get(one.resourceId);
    return {
      key: `p${one.patternId}`,
      what: "pattern",
      subject: id === undefined ? { type: "other", id: 0, name: "", site: "", host: "" } : names.of("component", id),
      services: id === undefined ? [] : names.servicesOf("component", id),
      metric: "log.pattern",
      qualifier: "",
      score,
      onsetMs: Math.max(fromMs, one.firstAtMs),
      endedMs: null,
      text,
      seriesId: null,
      patternId: one.patternId,
      isAlarm: false,
    };
  };
  const oddities: Oddity[] = [];
  // What is said in the first hours is all new, and means nothing.
  if (fromMs - since > HOUR_MS)
    for (const one of newPatterns(db, fromMs, toMs, WARNING, 100))
      oddities.push(
        entry(one, one.severity >= 17 ? 90 : 75, `New ${logLevel(one.severity)}, ${one.count} times: ${one.text}`),
      );
  const past = patternPast(db, (fromMs + toMs) / 2, Math.min(LOG_DAYS, Math.floor((fromMs - since) / DAY_MS)));
  const halves = Math.max(1 / 30, (toMs - fromMs) / HALF_HOUR_MS);
  for (const one of patternCounts(db, fromMs, toMs)) {
    const counts = past.get(one.patternId);
    if (!counts?.length || one.firstAtMs >= fromMs || one.count < LEAST_COUNT) continue;
    const mean = counts.reduce((sum, count) => sum + count, 0) / counts.length;
    const variance = counts.reduce((sum, count) => sum + (count - mean) ** 2, 0) / counts.length;
    const usual = mean * halves;
    if (one.count < MORE * usual) continue;
    const score = scoreOf(countAtLeast(one.count, Math.max(0.5, usual), Math.max(usual, variance * halves)));
    if (score >= LEAST_SCORE)
      oddities.push(
        entry(
          { ...one, firstAtMs: fromMs },
          score,
          `${one.count} times, usually ${usual < 10 ? usual.toFixed(1) : Math.round(usual)} in such a time: ${one.text}`,
        ),
      );
  }
  return oddities;
}

/** Where oddities gather, the most first. */
function clustersOf(list: readonly Oddity[], keysOf: (one: Oddity) => readonly (readonly [string, string])[]) {
  const counts = new Map<string, { key: string; name: string; count: number }>();
  for (const one of list)
    for (const [key, name] of keysOf(one)) {
      const known = counts.get(key) ?? { key, name, count: 0 };
      counts.set(key, known);
      known.count++;
    }
  return [...counts.values()].sort((a, b) => b.count - a.count).slice(0, 8);
}
