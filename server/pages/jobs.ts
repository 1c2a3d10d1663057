import { missedAt, scheduleOf, usualRun, type JobRun } from "#core/jobs/runs";
import { worstSeverity } from "#core/alarms/severity";
import { DAY_MS, MINUTE_MS } from "#core/time/windows";
import { alarmsIn } from "../store/alarms";
import type { Db } from "../store/database";
import { componentsAt, type ComponentRow } from "../store/estate";
import { jobWords, listJobs, runsOf } from "../store/jobs";

const MOST_JOBS = 500;
/** Runs that a line of the list shows, and those of the chosen job. */
const SHOWN = 30;
const LISTED = 60;
/** What did not start so long after it was due is told of; rules may be stricter. */
const GRACE_MS = 10 * MINUTE_MS;
const MOST_ALARMS = 2000;

/** The batch jobs that logs and platforms tell of: how they ran, what is usual of them, and when they are due. */
export function jobsPage(db: Db, { atMs, job }: { atMs: number; job: number | null }) {
  const components = new Map(componentsAt(db, atMs).map((one) => [one.id, one]));
  const alarms = alarmsIn(db, atMs, atMs, MOST_ALARMS).filter((one) => one.metric.startsWith("job."));
  const jobs = listJobs(db).flatMap(({ id, componentId, name, toldBy }) => {
    const component = components.get(componentId);
    const runs = component ? runsOf(db, id, atMs, LISTED) : [];
    if (!component || runs.length === 0) return [];
    const own = alarms.filter((one) => one.component_id === componentId && one.qualifier === name);
    return [
      {
        id,
        name,
        toldBy,
        ...placeOf(component, components),
        ...standingOf(runs, atMs),
        severity: worstSeverity(own.map((one) => one.severity)),
      },
    ];
  });
  return {
    jobs: jobs
      .sort((a, b) => a.component.localeCompare(b.component) || a.name.localeCompare(b.name))
      .slice(0, MOST_JOBS),
    more: Math.max(0, jobs.length - MOST_JOBS),
    isRead: jobWords(db).length > 0,
    chosen: job === null ? null : chosenOf(db, job, atMs, components),
  };
}

const placeOf = (component: ComponentRow, components: ReadonlyMap<number, ComponentRow>) => ({
  componentId: component.id,
  component: component.name,
  host: component.host_id === null ? "" : (components.get(component.host_id)?.name ?? ""),
});

function standingOf(runs: readonly JobRun[], atMs: number) {
  const last = runs.at(-1) as JobRun;
  const usual = usualRun(last.outcome === "running" ? runs.slice(0, -1) : runs);
  const starts = runs.map((run) => run.startedMs);
  const schedule = scheduleOf(starts);
  return {
    last,
    usual: usual ?? null,
    schedule: schedule?.words ?? null,
    nextMs: schedule?.after(atMs) ?? null,
    missedMs: (schedule && missedAt(schedule, starts, atMs, GRACE_MS)) ?? null,
    failed: runs.filter((run) => run.outcome === "failed" && run.startedMs > atMs - 14 * DAY_MS).length,
    runs: runs.slice(-SHOWN),
  };
}

/** One job with its runs, the newest first. */
function chosenOf(db: Db, id: number, atMs: number, components: ReadonlyMap<number, ComponentRow>) {
  const job = listJobs(db).find((one) => one.id === id);
  const component = job && components.get(job.componentId);
  if (!job || !component) return null;
  const runs = runsOf(db, id, atMs, LISTED);
  return { id, name: job.name, ...placeOf(component, components), runs: runs.reverse() };
}
