import { isAboutJob, type JobSettings } from "#core/detection/jobs";
import { RUNS_LEARNED, scheduleOf, usualRun, type JobRun, type Schedule, type UsualRun } from "#core/jobs/runs";
import type { LiveSeries, SampleWriter } from "../ingest/sample-writer";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { isRunning, listJobs, noteRun, runsOf, stampOf, type JobRow } from "../store/jobs";
import { isUnreachable, type AlarmBook } from "./alarm-book";
import type { SilenceContext } from "./silence-judge";
import { SlowJudge, type Asked, type SlowRule } from "./slow-judge";

const EVERY_MS = 30_000;
/** What a platform says of the jobs that it runs itself. */
const ACTIVE = "workload.jobs.active";
const FAILED = "workload.jobs.failed";

interface Known {
  stamp: string;
  runs: JobRun[];
  usual: UsualRun | undefined;
  schedule: Schedule | undefined;
}

/** Judges the runs of batch jobs against their past. */
export class JobJudge extends SlowJudge<"jobs"> {
  private jobs: JobRow[] = [];
  private readonly known = new Map<number, Known>();
  /** How the runs of each workload stood when they were last looked at. */
  private readonly told = new Map<number, { isRunning: boolean; failures: number }>();

  constructor(
    db: Db,
    book: AlarmBook,
    private readonly sampleWriter: Pick<SampleWriter, "all" | "last">,
    private readonly estate: SilenceContext,
  ) {
    super(db, book, estate, "jobs", EVERY_MS);
    this.loadRules();
  }

  protected override begin(atMs: number): void {
    this.askPlatforms();
    this.jobs = listJobs(this.db);
    for (const { id } of this.jobs) {
      const stamp = stampOf(this.db, id, atMs);
      if (this.known.get(id)?.stamp === stamp) continue;
      const runs = runsOf(this.db, id, atMs, RUNS_LEARNED + 1);
      const usual = usualRun(runs.at(-1)?.outcome === "running" ? runs.slice(0, -1) : runs);
      this.known.set(id, { stamp, runs, usual, schedule: scheduleOf(runs.map((run) => run.startedMs)) });
    }
  }

  /** Runs that a platform tells of by how many are active. */
  private askPlatforms(): void {
    const failed = new Map<number, LiveSeries>();
    const active: [component: number, series: LiveSeries][] = [];
    for (const series of this.sampleWriter.all()) {
      if (series.componentId === null) continue;
      if (series.metric === ACTIVE) active.push([series.componentId, series]);
      else if (series.metric === FAILED) failed.set(series.componentId, series);
    }
    for (const [componentId, series] of active) {
      const { atMs, value } = this.sampleWriter.last(series);
      const name = Number.isFinite(atMs) ? componentById(this.db, componentId)?.name : undefined;
      if (name === undefined) continue;
      const own = failed.get(componentId);
      const failures = own ? this.sampleWriter.last(own).value : 0;
      const before = this.told.get(componentId);
      this.told.set(componentId, { isRunning: value > 0, failures });
      if (before?.isRunning === value > 0 || (!before && isRunning(this.db, componentId, name) === value > 0)) continue;
      const hasFailed = before !== undefined && failures > before.failures;
      const what = value > 0 ? "begins" : hasFailed ? "fails" : "ends";
      noteRun(this.db, { componentId, job: name, atMs, toldBy: "platform" }, what);
    }
  }

  protected *asked({ rule }: SlowRule<"jobs">, atMs: number): Iterable<Asked<"jobs">> {
    const settings = rule.settings as JobSettings;
    for (const { id, componentId, name } of this.jobs) {
      const known = this.known.get(id);
      if (!known || !isAboutJob(settings, name) || !this.covers(rule, componentId)) continue;
      if (isUnreachable(this.book, this.estate.hostOf(componentId))) continue;
      const { runs, usual, schedule } = known;
      yield {
        subject: { type: "component", id: componentId },
        seriesId: null,
        qualifier: name,
        instance: name,
        unit: "",
        input: { atMs, runs, usual, schedule },
      };
    }
  }
}
