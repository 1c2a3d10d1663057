import { metricInfo, metricTitle } from "#core/catalogue/metrics";
import { natureOf } from "#core/correlation/harm";
import { proofOf, type WatchedFigure } from "#core/repair/proof";
import { MINUTE_MS } from "#core/time/windows";
import type { Proof } from "#core/repair/runbook";
import { neighbourhood } from "../causes/neighbourhood";
import { activeAlarms, alarmById, type AlarmRow, type Subject } from "../store/alarms";
import type { Db } from "../store/database";
import { alarmsOfIncident, incidentById } from "../store/incidents";
import { watchedOf, witnessesOf, type RunRow, type WatchedRow } from "../store/runs";
import { readSamples, seriesById } from "../store/signals";

/** Usual is what it was in this time before the fault began. */
const USUAL_MS = 60 * MINUTE_MS;
const BEFORE_MS = 3 * MINUTE_MS;
const MOST_WATCHED = 12;
/** What adds up over hours cannot show soon that a repair helped. */
const SLOW: ReadonlySet<string> = new Set(["burn"]);
/** How often something was started in the last while: what was done may be one of the starts. */
const countsStarts = (metric: string) => metricInfo(metric).nature === "crash";

/**
 * Figures and alarms by which the fault shows, as they are now: those at the target, else those that its cause explains,
 * else whatever stands.
 */
export function watchedFigures(db: Db, incidentId: number, targetId: number, nowMs: number): WatchedRow[] {
  const standing = alarmsOfIncident(db, incidentId).filter(
    (alarm) => alarm.cleared_at === null && !SLOW.has(alarm.detector) && !countsStarts(alarm.metric),
  );
  const near = neighbourhood(db, targetId, nowMs);
  const own = standing.filter((alarm) => alarm.component_id !== null && near.has(alarm.component_id));
  const cause = incidentById(db, incidentId)?.causes.find((one) => one.componentId === targetId);
  const explained = new Set(cause?.explains ?? []);
  const its = standing.filter((alarm) => explained.has(alarm.id));
  const telling = [own, its, standing].find((alarms) => alarms.length > 0) ?? [];
  const rows = telling.slice(0, MOST_WATCHED).map((alarm) => watchedRow(db, alarm, nowMs));
  // Who is asked seldom may not be asked often enough in the time of the proof: those who ask speak for it.
  const seldom = telling === own && own.some((alarm) => alarm.series_id === null);
  const hurt = seldom ? its.filter((alarm) => alarm.series_id === null && !own.includes(alarm)) : [];
  return [
    ...rows,
    ...hurt.slice(0, MOST_WATCHED).map((alarm): WatchedRow => ({ ...watchedRow(db, alarm, nowMs), isWitness: true })),
  ];
}

function watchedRow(db: Db, alarm: AlarmRow, nowMs: number): WatchedRow {
  const series = alarm.series_id === null ? undefined : seriesById(db, alarm.series_id);
  const values = (fromMs: number, toMs: number) =>
    series ? [...readSamples(db, series.id, fromMs, toMs).values].filter((one) => !Number.isNaN(one)) : [];
  const usual = median(values(alarm.onset_at - USUAL_MS, alarm.onset_at - MINUTE_MS));
  const before = values(nowMs - BEFORE_MS, nowMs).slice(-3);
  return {
    alarmId: alarm.id,
    name: `${metricTitle(alarm.metric, alarm.qualifier)} of ${alarm.subject}`,
    unit: series?.unit ?? "",
    direction: alarm.direction,
    seriesId: series?.id ?? null,
    usual: usual ?? null,
    before: before.length ? before.reduce((sum, one) => sum + one, 0) / before.length : null,
  };
}

function median(values: number[]): number | undefined {
  values.sort((a, b) => a - b);
  return values[Math.floor(values.length / 2)];
}

const LOUD: ReadonlySet<string> = new Set(["critical", "major"]);

/** How the calls that hold an alarm up went since an instant; undefined of other alarms, and where nobody knows yet. */
export type CallsSince = (
  alarm: { subject: Subject; metric: string; qualifier: string },
  fromMs: number,
  atMs: number,
) => { calls: number; bad: number; isEased: boolean } | undefined;

/** The figures that showed the fault, as they are since a run. */
export function figuresSince(
  db: Db,
  run: RunRow,
  nowMs: number,
  callsSince: CallsSince = () => undefined,
): WatchedFigure[] {
  return watchedOf(db, run.id).map(asSince(db, run, nowMs, callsSince));
}

function asSince(db: Db, run: RunRow, nowMs: number, callsSince: CallsSince): (row: WatchedRow) => WatchedFigure {
  const endedAt = run.ended_at ?? nowMs;
  return (row) => {
    const alarm = row.alarmId === null ? null : alarmById(db, row.alarmId);
    return {
      name: row.name,
      unit: row.unit,
      direction: row.direction,
      usual: row.usual ?? Number.NaN,
      before: row.before ?? Number.NaN,
      after:
        row.seriesId === null
          ? []
          : [...readSamples(db, row.seriesId, endedAt, nowMs).values].filter((one) => !Number.isNaN(one)),
      cleared: alarm !== null && (alarm === undefined || alarm.cleared_at !== null),
      since:
        alarm && row.seriesId === null
          ? callsSince(
              {
                subject: { type: alarm.subject_type, id: alarm.subject_id },
                metric: alarm.metric,
                qualifier: alarm.qualifier,
              },
              endedAt,
              nowMs,
            )
          : undefined,
      ...(alarm
        ? {
            shows: `${alarm.subject_type} ${alarm.subject_id} ${natureOf(alarm.metric)}`,
            trouble: natureOf(alarm.metric),
          }
        : {}),
      isLimit: row.alarmId === null,
    };
  };
}

/** How the figures that showed the fault stand after a run. */
export function proofOfRun(
  db: Db,
  run: RunRow,
  nowMs: number,
  callsSince: CallsSince = () => undefined,
): { proof: Proof; words: string } {
  const endedAt = run.ended_at ?? nowMs;
  const figures = figuresSince(db, run, nowMs, callsSince);
  if (figures.length === 0 && hadCleared(db, run))
    return { proof: "not measured", words: "All alarms of the incident had cleared before the run began." };
  const near = neighbourhood(db, run.component_id, nowMs);
  const newAlarms = activeAlarms(db)
    .filter(
      (alarm) =>
        // What was told of before the run ended cannot come of it, whenever it is said to have begun.
        Math.min(alarm.onset_at, alarm.raised_at) > endedAt &&
        LOUD.has(alarm.severity) &&
        alarm.component_id !== null &&
        near.has(alarm.component_id) &&
        !countsStarts(alarm.metric) &&
        !SLOW.has(alarm.detector) &&
        alarm.detector !== "trend",
    )
    .map((alarm) => `${metricTitle(alarm.metric, alarm.qualifier)} of ${alarm.subject}`);
  return proofOf({
    figures,
    witnesses: witnessesOf(db, run.id).map(asSince(db, run, nowMs, callsSince)),
    newAlarms,
    elapsedMs: nowMs - endedAt,
    watchMs: (run.proof_until ?? nowMs) - endedAt,
  });
}

/** Nothing was left to bring back when the run began. */
function hadCleared(db: Db, run: RunRow): boolean {
  if (run.incident_id === null) return false;
  const alarms = alarmsOfIncident(db, run.incident_id);
  const beganAt = run.started_at;
  return alarms.length > 0 && alarms.every((alarm) => alarm.cleared_at !== null && alarm.cleared_at <= beganAt);
}
