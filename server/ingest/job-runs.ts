import { jobReader, wordsToSearch, type JobWords, type Told } from "#core/jobs/words";
import { DAY_MS, MINUTE_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { jobWords, noteRun } from "../store/jobs";
import type { NewLog } from "../store/log-writer";
import { searchLogs } from "../store/logs";

/** What a record may be ahead of this clock and still count. */
const AHEAD_MS = MINUTE_MS;
/** Of the past so much is looked through for runs, and so many records that tell of them. */
const PAST_MS = 35 * DAY_MS;
const MOST_PAST = 5_000;

/** Keeps the runs of batch jobs that logs tell of. */
export class JobRuns {
  private readers: ((body: string) => Told | undefined)[] = [];

  constructor(private readonly db: Db) {
    this.reload();
  }

  /** Takes up which lines people say tell of jobs. */
  reload(): void {
    this.readers = jobWords(this.db).map(jobReader);
  }

  /** Call inside a transaction. */
  take(
    logs: readonly Pick<NewLog, "resourceId" | "atMs" | "body">[],
    componentOf: (resourceId: number) => number | null,
    nowMs: number,
  ): void {
    if (this.readers.length === 0) return;
    for (const { resourceId, atMs, body } of logs) {
      if (atMs > nowMs + AHEAD_MS) continue;
      for (const read of this.readers) {
        const told = read(body);
        if (!told) continue;
        const componentId = componentOf(resourceId);
        if (componentId !== null) noteRun(this.db, { componentId, job: told.job, atMs, toldBy: "logs" }, told.what);
        break;
      }
    }
  }

  /** Takes in the runs that kept records tell of; call inside a transaction. @returns how many records told of one */
  countBack(words: JobWords, componentOf: (resourceId: number) => number | null, nowMs: number): number {
    const read = jobReader(words);
    const found = new Map<number, { resourceId: number; atMs: number; body: string }>();
    for (const line of [words.begins, words.ends, words.fails]) {
      const search = wordsToSearch(line);
      if (search.length === 0) continue;
      const filter = { fromMs: nowMs - PAST_MS, toMs: nowMs, words: search, without: [], leastSeverity: 0 };
      for (const { id, resource_id: resourceId, at: atMs, body } of searchLogs(this.db, filter, null, MOST_PAST).rows)
        found.set(id, { resourceId, atMs, body });
    }
    let told = 0;
    for (const { resourceId, atMs, body } of [...found.values()].sort((a, b) => a.atMs - b.atMs)) {
      const one = read(body);
      const componentId = one ? componentOf(resourceId) : null;
      if (!one || componentId === null) continue;
      noteRun(this.db, { componentId, job: one.job, atMs, toldBy: "logs" }, one.what);
      told++;
    }
    return told;
  }
}
