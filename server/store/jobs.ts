import type { JobRun, Outcome } from "#core/jobs/runs";
import type { JobWords, Told } from "#core/jobs/words";
import { PersonError, prepared, type Db } from "./database";

export interface KeptJobWords extends JobWords {
  id: number;
  madeBy: string;
  madeAt: number;
}

/** Each looks at every record that comes in. */
const MOST_WORDS = 50;
/** Names of jobs of one component; a name that differs with each run is no name. */
const MOST_JOBS = 100;
/** Runs of one job that are kept, and how far apart two begin at the least: what floods is no batch. */
const MOST_RUNS = 1_000;
const LEAST_APART_MS = 1_000;

export const jobWords = (db: Db): KeptJobWords[] =>
  prepared<KeptJobWords>(
    db,
    "SELECT id, name, begins, ends, fails, made_by AS madeBy, made_at AS madeAt FROM job_words ORDER BY id",
  ).all();

export function saveJobWords(db: Db, { name, begins, ends, fails }: JobWords, by: string, atMs: number): number {
  const known = jobWords(db);
  if (known.some((one) => one.name === name && one.begins === begins && one.ends === ends))
    throw new PersonError("These lines are looked for already.", { begins: "Looked for already." });
  if (known.length >= MOST_WORDS)
    throw new PersonError(`Lines of ${MOST_WORDS} kinds are looked for; each looks at every record. Remove one first.`);
  return Number(
    prepared(db, "INSERT INTO job_words (name, begins, ends, fails, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?)").run(
      name,
      begins,
      ends,
      fails,
      by,
      atMs,
    ).lastInsertRowid,
  );
}

export function removeJobWords(db: Db, id: number): void {
  prepared(db, "DELETE FROM job_words WHERE id = ?").run(id);
}

export interface JobRow {
  id: number;
  componentId: number;
  name: string;
  toldBy: "logs" | "platform";
}

/** Jobs of components that are in the estate. */
export const listJobs = (db: Db): JobRow[] =>
  prepared<JobRow>(
    db,
    `SELECT j.id, j.component_id AS componentId, j.name, j.told_by AS toldBy
     FROM job j JOIN component c ON c.id = j.component_id AND c.valid_to IS NULL ORDER BY j.id`,
  ).all();

const RUN = "started_at AS startedMs, ended_at AS endedMs, outcome";

/** The last run of a job that began by an instant. */
const lastRun = (db: Db, job: number, atMs: number): JobRun | undefined =>
  prepared<JobRun>(
    db,
    `SELECT ${RUN} FROM job_run WHERE job_id = ? AND started_at <= ? ORDER BY started_at DESC LIMIT 1`,
  ).get(job, atMs);

/** The last runs of a job by an instant, in order, as they were known then. */
export function runsOf(db: Db, job: number, atMs: number, most: number): JobRun[] {
  const runs = prepared<JobRun>(
    db,
    `SELECT ${RUN} FROM job_run WHERE job_id = ? AND started_at <= ? ORDER BY started_at DESC LIMIT ?`,
  ).all(job, atMs, most);
  return runs.reverse().map((run): JobRun => {
    const isOver = run.outcome === "unknown" || (run.endedMs !== null && run.endedMs <= atMs);
    return isOver ? run : { ...run, endedMs: null, outcome: "running" };
  });
}

/** What tells whether anything became of a job since it was last looked at. */
export const stampOf = (db: Db, job: number, atMs: number): string => {
  const last = lastRun(db, job, atMs);
  return last ? `${last.startedMs} ${last.endedMs ?? ""} ${last.outcome}` : "";
};

/** Takes in what was told of a run: its beginning, or its end; call inside a transaction. */
export function noteRun(
  db: Db,
  {
    componentId,
    job: name,
    atMs,
    toldBy,
  }: { componentId: number; job: string; atMs: number; toldBy: JobRow["toldBy"] },
  what: Told["what"],
): void {
  const known = prepared<{ id: number }>(db, "SELECT id FROM job WHERE component_id = ? AND name = ?").get(
    componentId,
    name,
  );
  const last = known && lastRun(db, known.id, atMs);
  if (what !== "begins") {
    // An end without a beginning, or told twice, says nothing of how long it took.
    if (known && last?.outcome === "running") endRun(db, known.id, last, atMs, what === "ends" ? "done" : "failed");
    return;
  }
  if (last && atMs - last.startedMs < LEAST_APART_MS) return;
  const id = known?.id ?? makeJob(db, componentId, name, toldBy);
  if (id === undefined) return;
  if (last?.outcome === "running") endRun(db, id, last, null, "unknown");
  prepared(db, "INSERT INTO job_run (job_id, started_at, ended_at, outcome) VALUES (?, ?, NULL, 'running')").run(
    id,
    atMs,
  );
  prepared(
    db,
    `DELETE FROM job_run WHERE job_id = :id AND started_at <=
       (SELECT started_at FROM job_run WHERE job_id = :id ORDER BY started_at DESC LIMIT 1 OFFSET :most)`,
  ).run({ id, most: MOST_RUNS });
}

function endRun(db: Db, job: number, { startedMs }: JobRun, endedMs: number | null, outcome: Outcome): void {
  prepared(db, "UPDATE job_run SET ended_at = ?, outcome = ? WHERE job_id = ? AND started_at = ?").run(
    endedMs,
    outcome,
    job,
    startedMs,
  );
}

function makeJob(db: Db, componentId: number, name: string, toldBy: JobRow["toldBy"]): number | undefined {
  const { count } = prepared<{ count: number }>(db, "SELECT count(*) AS count FROM job WHERE component_id = ?").get(
    componentId,
  ) as { count: number };
  if (count >= MOST_JOBS) return undefined;
  return Number(
    prepared(db, "INSERT INTO job (component_id, name, told_by) VALUES (?, ?, ?)").run(componentId, name, toldBy)
      .lastInsertRowid,
  );
}

/** Forgets runs that began before an instant, and jobs that had none since; call inside a transaction. */
export function forgetRuns(db: Db, beforeMs: number): void {
  if (prepared(db, "DELETE FROM job_run WHERE started_at < ?").run(beforeMs).changes > 0)
    prepared(db, "DELETE FROM job WHERE NOT EXISTS (SELECT 1 FROM job_run WHERE job_id = job.id)").run();
}
