import type { JobDetector } from "#core/detection/detector";
import { isAboutJob, longAfterMs, type JobSettings } from "#core/detection/jobs";
import type { Replayed } from "#core/detection/replay";
import type { RuleInput } from "#core/detection/rule";
import { RUNS_LEARNED, scheduleOf, usualRun, type JobRun } from "#core/jobs/runs";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { currentComponents } from "../store/estate";
import { listJobs, runsOf } from "../store/jobs";
import { previewOf, wantedOf, type Tried } from "./preview-shape";

const MOST_JOBS = 500;
const MOST_RUNS = 1000;

/** What a rule about jobs would have raised: asked at each instant at which something of a run could have changed it. */
export function jobPreview(db: Db, rule: RuleInput, detector: JobDetector, fromMs: number, toMs: number) {
  const settings = rule.settings as JobSettings;
  const isWanted = wantedOf(db, rule, toMs);
  const components = new Map(currentComponents(db).map((one) => [one.id, one]));
  const chosen = listJobs(db).filter(({ componentId, name }) => {
    const component = components.get(componentId);
    return component !== undefined && isWanted(componentId, component.kind) && isAboutJob(settings, name);
  });
  const tried = chosen.slice(0, MOST_JOBS).map(({ id, componentId, name }): Tried => ({
    name: components.get(componentId)?.name ?? "",
    instance: name,
    verdicts: replayRuns(detector, settings, runsOf(db, id, toMs, MOST_RUNS), { fromMs, toMs, name }),
  }));
  return previewOf(db, detector.describe(settings, ""), tried, { fromMs, toMs, all: chosen.length, of: "jobs" });
}

function replayRuns(
  detector: JobDetector,
  settings: JobSettings,
  all: readonly JobRun[],
  { fromMs, toMs, name }: { fromMs: number; toMs: number; name: string },
): Replayed[] {
  const state = detector.fresh();
  const verdicts: Replayed[] = [];
  for (const atMs of instants(settings, all, fromMs, toMs)) {
    const before = all.filter((run) => run.startedMs <= atMs).slice(-RUNS_LEARNED - 1);
    const runs = before.map((run): JobRun =>
      run.endedMs !== null && run.endedMs > atMs ? { ...run, endedMs: null, outcome: "running" } : run,
    );
    const input = {
      atMs,
      sinceMs: Number.NEGATIVE_INFINITY,
      runs,
      usual: usualRun(runs.slice(0, -1)),
      schedule: scheduleOf(runs.map((run) => run.startedMs)),
    };
    const verdict = detector.evaluate(settings, state, input, { instance: name, unit: "" });
    if (verdict) verdicts.push({ ...verdict, atMs });
  }
  return verdicts;
}

/** When a verdict can change: as a run begins or ends, takes too long, is missed, or a failure is forgotten. */
function instants(settings: JobSettings, all: readonly JobRun[], fromMs: number, toMs: number): number[] {
  const found = new Set<number>();
  all.forEach((run, index) => {
    const before = all.slice(Math.max(0, index - RUNS_LEARNED), index);
    const usual = usualRun(before);
    const schedule = scheduleOf(all.slice(Math.max(0, index - RUNS_LEARNED), index + 1).map((one) => one.startedMs));
    found.add(run.startedMs);
    if (usual) found.add(run.startedMs + longAfterMs(settings, usual) + MINUTE_MS);
    if (run.endedMs !== null) {
      found.add(run.endedMs);
      found.add(run.endedMs + settings.forget * HOUR_MS + MINUTE_MS);
    }
    const dueMs = schedule?.after(run.startedMs + schedule.earlyMs);
    if (schedule && dueMs !== undefined) {
      found.add(dueMs + Math.max(settings.minutes * MINUTE_MS, schedule.lateMs * 1.5) + MINUTE_MS);
      found.add(dueMs + settings.forget * HOUR_MS + MINUTE_MS);
    }
  });
  return [...found].filter((at) => at >= fromMs && at <= toMs).sort((a, b) => a - b);
}
