import { isAboutJob, type JobSettings } from "#core/detection/jobs";
import { RUNS_LEARNED, scheduleOf, usualRun, type JobRun, type Schedule, type UsualRun } from "#core/jobs/runs";
import { MINUTE_MS } from "#core/time/windows";
import type { SampleWriter } from "../ingest/sample-writer";
import type { Db } from "../store/database";
import { listJobs, runsOf, stampOf, type JobRow } from "../store/jobs";
import { isUnreachable, type AlarmBook } from "./alarm-book";
import type { SilenceContext } from "./silence-judge";
import { SlowJudge, type Asked, type SlowRule } from "./slow-judge";

const EVERY_MS = 30_000;
/** What a platform says of the jobs that it runs itself; unheard of for so long, nothing is known to be missed. */
const ACTIVE = "workload.jobs.active";
const UNHEARD_MS = 5 * MINUTE_MS;

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
  private told = new Set<number>();
  /** Since when a platform tells of its jobs again. */
  private readonly toldSinceMs = new Map<number, number>();
  /** Before this process looked, runs may have gone by that nobody told it of. */
  private sinceMs: number | undefined;

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
    this.sinceMs ??= atMs;
    this.jobs = listJobs(this.db);
    const before = this.told;
    this.told = this.jobs.some((one) => one.toldBy === "platform") ? this.toldOf(atMs) : new Set();
    for (const id of this.told) if (!before.has(id)) this.toldSinceMs.set(id, atMs);
    for (const id of this.toldSinceMs.keys()) if (!this.told.has(id)) this.toldSinceMs.delete(id);
    for (const { id } of this.jobs) {
      const stamp = stampOf(this.db, id, atMs);
      if (this.known.get(id)?.stamp === stamp) continue;
      const runs = runsOf(this.db, id, atMs, RUNS_LEARNED + 1);
      const usual = usualRun(runs.at(-1)?.outcome === "running" ? runs.slice(0, -1) : runs);
      this.known.set(id, { stamp, runs, usual, schedule: scheduleOf(runs.map((run) => run.startedMs)) });
    }
  }

  /** Workloads whose platform tells of them. */
  private toldOf(atMs: number): Set<number> {
    const told = new Set<number>();
    for (const series of this.sampleWriter.all())
      if (
        series.componentId !== null &&
        series.metric === ACTIVE &&
        atMs - this.sampleWriter.last(series).atMs < UNHEARD_MS
      )
        told.add(series.componentId);
    return told;
  }

  protected *asked({ rule }: SlowRule<"jobs">, atMs: number): Iterable<Asked<"jobs">> {
    const settings = rule.settings as JobSettings;
    for (const { id, componentId, name, toldBy } of this.jobs) {
      const known = this.known.get(id);
      if (!known || !isAboutJob(settings, name) || !this.covers(rule, componentId)) continue;
      if (toldBy === "platform" && !this.told.has(componentId)) continue;
      if (isUnreachable(this.book, this.estate.hostOf(componentId))) continue;
      const { runs, usual, schedule } = known;
      yield {
        subject: { type: "component", id: componentId },
        seriesId: null,
        qualifier: name,
        instance: name,
        unit: "",
        // What was due while nobody told of it may well have run.
        input: { atMs, runs, usual, schedule, sinceMs: this.toldSinceMs.get(componentId) ?? this.sinceMs ?? atMs },
      };
    }
  }
}
