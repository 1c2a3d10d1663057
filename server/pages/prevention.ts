import { metricTitle } from "#core/catalogue/metrics";
import { detectorOf } from "#core/detection/registry";
import { readRule } from "#core/detection/rule";
import type { SeriesDetector } from "#core/detection/detector";
import { bestIdeas, soonerRules, type RuleIdea, type TriedIdea } from "#core/detection/sooner";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { neighbourhood } from "../causes/neighbourhood";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { seriesForRules, type RuleSeries } from "../store/find-series";
import { alarmsOfIncident, incidentById, incidentsIn, type IncidentRow } from "../store/incidents";
import { noteLines } from "#core/kits/notes";
import { allNotes, notesOfMetric } from "../store/notes";
import { runsOfIncident } from "../store/runs";
import { readSamples } from "../store/signals";
import { replayOne, rulePreview } from "./setup";

/** Noise is counted over so much of the past. */
const LOOKED_MS = 14 * DAY_MS;
/** How long before the first alarm the trouble may have shown. */
const BEFORE_MS = HOUR_MS;
const MOST_FIGURES = 4;
const MOST_PREVIEWED = 6;
const OFFERED = 3;

type Alarm = ReturnType<typeof alarmsOfIncident>[number];

/** What an incident can be made into so that the next of its kind is shorter: a rule, a policy, a note. */
export function preventionPage(db: Db, { id, nowMs }: { id: number; nowMs: number }) {
  const incident = incidentById(db, id);
  if (!incident) return null;
  const alarms = alarmsOfIncident(db, id);
  const [first] = alarms;
  const causeId = incident.confirmed?.componentId ?? incident.causes.find((one) => one.isRoot)?.componentId ?? null;
  const cause = causeId === null ? undefined : componentById(db, causeId);
  const proved = runsOfIncident(db, id).findLast((run) => run.proof === "proved");
  const metric = alarms.find((one) => one.id === incident.suspect_alarm_id)?.metric ?? first?.metric ?? null;
  return {
    incident: { id, title: incident.title, openedAt: incident.opened_at, resolvedAt: incident.resolved_at },
    cause: cause ? { id: cause.id, name: cause.name, kind: cause.kind } : null,
    firstAlarmAt: first?.raised_at ?? null,
    rules: cause && first ? rulesFor(db, incident, cause, alarms, first.raised_at, nowMs) : [],
    run: proved ? { id: proved.id, runbook: proved.runbook, policy: proved.policy } : null,
    note: metric === null ? null : { metric, title: metricTitle(metric, ""), written: notesOfMetric(db, metric) },
  };
}

/** Figures of the cause and of what is next to it that were in alarm, those that were first in front. */
function figuresOf(db: Db, causeId: number, alarms: readonly Alarm[], atMs: number) {
  const near = neighbourhood(db, causeId, atMs);
  const own = alarms.filter((one) => one.series_id !== null && one.component_id !== null && near.has(one.component_id));
  const seen = new Set<string>();
  return own
    .sort((a, b) => a.onset_at - b.onset_at)
    .filter((one) => !seen.has(`${one.series_id}:${one.direction}`) && seen.add(`${one.series_id}:${one.direction}`))
    .slice(0, MOST_FIGURES);
}

function rulesFor(
  db: Db,
  incident: IncidentRow,
  cause: { id: number; kind: string },
  alarms: readonly Alarm[],
  firstMs: number,
  nowMs: number,
) {
  const endMs = Math.min(nowMs, incident.resolved_at ?? nowMs);
  const fromMs = firstMs - LOOKED_MS;
  const tried: (TriedIdea & { fields: Record<string, string>; figure: string; words: string })[] = [];
  for (const alarm of figuresOf(db, cause.id, alarms, incident.opened_at)) {
    const series = seriesForRules(db, alarm.metric).find((one) => one.id === alarm.series_id);
    if (!series) continue;
    const samples = readSamples(db, series.id, fromMs, endMs);
    const values = (from: number, to: number) =>
      [...samples.values].filter(
        (_, at) => (samples.times[at] as number) >= from && (samples.times[at] as number) < to,
      );
    const during = values(firstMs - BEFORE_MS, endMs).filter((one) => !Number.isNaN(one));
    if (during.length === 0) continue;
    const ideas = soonerRules({
      metric: alarm.metric,
      direction: alarm.direction,
      peace: values(fromMs, firstMs - BEFORE_MS),
      worst: alarm.direction === "above" ? Math.max(...during) : Math.min(...during),
    });
    for (const idea of ideas) {
      const fields = fieldsFor(idea, series);
      const sooner = soonerBy(db, fields, series, firstMs, endMs);
      if (sooner !== undefined)
        tried.push({
          idea,
          fields,
          figure: metricTitle(series.metric, series.instance),
          words: "",
          soonerMs: sooner,
          others: 0,
        });
    }
  }
  // Only the soonest are worth counting what they would have raised everywhere else.
  const counted = bestIdeas(tried, MOST_PREVIEWED, 1).flatMap((one) => {
    const { fields, figure } = one as (typeof tried)[number];
    const preview = rulePreview(db, { fields, fromMs, toMs: endMs });
    return preview.ok
      ? [{ ...one, fields, figure, words: preview.words, others: Math.max(0, preview.raised - 1) }]
      : [];
  });
  const incidents = incidentsIn(db, fromMs, endMs).length;
  return bestIdeas(counted, OFFERED, LOOKED_MS / DAY_MS).map((one) => {
    const { idea, soonerMs, others, fields, figure, words } = one as (typeof counted)[number];
    return { what: idea.what, type: idea.type, soonerMs, others, incidents, fields, figure, words };
  });
}

const fieldsFor = (idea: RuleIdea, series: RuleSeries): Record<string, string> => ({
  name: `${metricTitle(series.metric, "")}, sooner`,
  type: idea.type,
  scope: `kind:${series.kind ?? "*"}`,
  enabled: "on",
  ...idea.settings,
});

/** How much sooner a rule would have raised an alarm on a series than the incident's first; undefined where it would not. */
function soonerBy(
  db: Db,
  fields: Record<string, string>,
  series: RuleSeries,
  firstMs: number,
  endMs: number,
): number | undefined {
  const read = readRule(fields);
  if (!read.ok) return undefined;
  const detector = detectorOf(read.rule.type) as SeriesDetector;
  const { verdicts } = replayOne(db, { detector, settings: read.rule.settings }, series, firstMs - BEFORE_MS, endMs);
  // Of several the last that stands when the incident began: one that came and went before told of something else.
  let raised: number | undefined;
  for (const { severity, atMs } of verdicts) {
    if (atMs > firstMs + MINUTE_MS) break;
    raised = severity === "cleared" ? undefined : (raised ?? atMs);
  }
  return raised === undefined ? undefined : firstMs - raised;
}

/** What people here noted, in the form of a kit's file. */
export const notesKit = (db: Db) => ({
  kind: "*",
  title: "Notes written here",
  rules: [],
  runbooks: [],
  notes: allNotes(db).map(({ metric, title, text }) => ({
    metric,
    title,
    lines: noteLines(text),
  })),
});
