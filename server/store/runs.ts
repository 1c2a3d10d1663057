import type { LaidStep } from "#core/repair/lay-out";
import type { Ruling } from "#core/repair/guardrails";
import type { Proof, RunState, Runbook, StepState, StepType } from "#core/repair/runbook";
import type { Step } from "#core/repair/steps/registry";
import { prepared, type Db } from "./database";

export interface RunRow {
  id: number;
  runbook_id: number;
  runbook: string;
  version: number | null;
  component_id: number;
  component: string;
  incident_id: number | null;
  /** When its incident was opened. */
  incident_at: number | null;
  policy_id: number | null;
  policy: string | null;
  chore_id: number | null;
  args: string;
  state: RunState;
  started_by: string;
  started_at: number;
  ended_at: number | null;
  message: string | null;
  unknown_step: number | null;
  rollback: "running" | "passed" | "failed" | null;
  proof: Proof | null;
  proof_text: string;
  proof_at: number | null;
  proof_until: number | null;
}

const RUN = `SELECT r.id, r.runbook_id, b.name AS runbook, r.version, r.component_id, c.name AS component, r.incident_id, i.opened_at AS incident_at, r.policy_id, p.name AS policy, r.chore_id, r.args, r.state,
  r.started_by, r.started_at, r.ended_at, r.message, r.unknown_step, r.rollback, r.proof, r.proof_text, r.proof_at, r.proof_until
  FROM run r JOIN runbook b ON b.id = r.runbook_id JOIN component c ON c.id = r.component_id LEFT JOIN policy p ON p.id = r.policy_id LEFT JOIN incident i ON i.id = r.incident_id`;

/** An incident and those merged into it. */
const ITS =
  "WITH RECURSIVE its (id) AS (SELECT ? UNION SELECT i.id FROM incident i JOIN its ON i.merged_into = its.id)";

/** A figure that showed the fault, as it was when a run began. */
export interface WatchedRow {
  /** Null for what a chore keeps within a limit, without an alarm. */
  alarmId: number | null;
  name: string;
  unit: string;
  direction: "above" | "below";
  seriesId: number | null;
  /** NaN does not go into JSON: null where it was not measured. */
  usual: number | null;
  before: number | null;
  /** It is not the fault's own, but was hurt by it: it speaks for what is not measured since. */
  isWitness?: true;
}

export interface NewRun {
  runbookId: number;
  version: number | null;
  definition: Runbook;
  componentId: number;
  incidentId: number | null;
  policyId: number | null;
  choreId?: number | null;
  args: Record<string, string>;
  by: string;
  laid: readonly LaidStep[];
  rulings: readonly Ruling[];
  watched: readonly WatchedRow[];
}

export function insertRun(db: Db, run: NewRun, atMs: number): number {
  const id = Number(
    prepared(
      db,
      `INSERT INTO run (runbook_id, version, definition, component_id, incident_id, policy_id, chore_id, args, state, started_by, started_at, rulings, watched)
       VALUES (?, ?, ?, ?, ?, ?, ?, ?, 'running', ?, ?, ?, ?)`,
    ).run(
      run.runbookId,
      run.version,
      JSON.stringify(run.definition),
      run.componentId,
      run.incidentId,
      run.policyId,
      run.choreId ?? null,
      JSON.stringify(run.args),
      run.by,
      atMs,
      JSON.stringify(run.rulings),
      JSON.stringify(run.watched),
    ).lastInsertRowid,
  );
  for (const one of run.laid) addRunStep(db, id, one);
  const target = prepared(db, "INSERT OR IGNORE INTO run_target (run_id, component_id) VALUES (?, ?)");
  for (const componentId of new Set([run.componentId, ...run.laid.map((one) => one.targetId)]))
    target.run(id, componentId);
  return id;
}

export function addRunStep(db: Db, runId: number, one: LaidStep): void {
  prepared(
    db,
    `INSERT INTO run_step (run_id, position, parent, branch, component_id, type, title, state, step, words)
     VALUES (?, ?, ?, ?, ?, ?, ?, 'waiting', ?, ?)`,
  ).run(
    runId,
    one.position,
    one.parent,
    one.branch,
    one.targetId,
    one.step.type,
    one.step.title,
    JSON.stringify(one.step),
    JSON.stringify(one.words),
  );
}

export function endRun(db: Db, id: number, state: RunState, message: string | null, atMs: number): void {
  prepared(db, "UPDATE run SET state = ?, message = ?, ended_at = ? WHERE id = ?").run(state, message, atMs, id);
}

export const setUnknownStep = (db: Db, id: number, position: number | null): void =>
  void prepared(db, "UPDATE run SET unknown_step = ? WHERE id = ?").run(position, id);

export const setRollback = (db: Db, id: number, rollback: RunRow["rollback"]): void =>
  void prepared(db, "UPDATE run SET rollback = ? WHERE id = ?").run(rollback, id);

/** Rollbacks that were cut off by a kill: what they did is not known, and nothing must wait for them for ever. */
export function endCutRollbacks(db: Db): void {
  const said = "Cut off while it was being taken back. Look at what that did.";
  db.transaction(() => {
    prepared(
      db,
      `UPDATE run_step SET state = 'unknown', message = ? WHERE branch = 'undo' AND state IN ('running', 'waiting')
         AND run_id IN (SELECT id FROM run WHERE rollback = 'running')`,
    ).run(said);
    prepared(
      db,
      "UPDATE run SET rollback = 'failed', message = trim(coalesce(message, '') || ' ' || ?) WHERE rollback = 'running'",
    ).run(said);
  })();
}

export function setProof(
  db: Db,
  id: number,
  one: { proof: Proof; words: string; atMs: number; untilMs?: number },
): void {
  prepared(
    db,
    "UPDATE run SET proof = ?, proof_text = ?, proof_at = ?, proof_until = coalesce(?, proof_until) WHERE id = ?",
  ).run(one.proof, one.words, one.atMs, one.untilMs ?? null, id);
}

/** Repairs of an incident, and of those merged into it, whose figures had come back by an instant. */
export const provedRepairs = (
  db: Db,
  incidentId: number,
  untilMs: number,
): { componentId: number; startedAt: number; provedAt: number }[] =>
  prepared<{ componentId: number; startedAt: number; provedAt: number }>(
    db,
    `${ITS}
     SELECT component_id AS componentId, started_at AS startedAt, proof_at AS provedAt FROM run
     WHERE incident_id IN (SELECT id FROM its) AND proof = 'proved' AND proof_at <= ?`,
  ).all(incidentId, untilMs);

export const takenOf = (db: Db, id: number): Record<string, unknown> =>
  JSON.parse(prepared<{ taken: string }>(db, "SELECT taken FROM run WHERE id = ?").get(id)?.taken ?? "{}") as Record<
    string,
    unknown
  >;
export const keepTaken = (db: Db, id: number, taken: Record<string, unknown>): void =>
  void prepared(db, "UPDATE run SET taken = json_patch(taken, ?) WHERE id = ?").run(JSON.stringify(taken), id);

const allWatched = (db: Db, id: number): WatchedRow[] =>
  JSON.parse(
    prepared<{ watched: string }>(db, "SELECT watched FROM run WHERE id = ?").get(id)?.watched ?? "[]",
  ) as WatchedRow[];

/** The figures by which the fault showed. */
export const watchedOf = (db: Db, id: number): WatchedRow[] => allWatched(db, id).filter((one) => !one.isWitness);

/** Those of what was hurt by it. */
export const witnessesOf = (db: Db, id: number): WatchedRow[] => allWatched(db, id).filter((one) => one.isWitness);
export const rulingsOf = (db: Db, id: number): Ruling[] =>
  JSON.parse(
    prepared<{ rulings: string }>(db, "SELECT rulings FROM run WHERE id = ?").get(id)?.rulings ?? "[]",
  ) as Ruling[];
export const definitionOf = (db: Db, id: number): Runbook =>
  JSON.parse(
    prepared<{ definition: string }>(db, "SELECT definition FROM run WHERE id = ?").get(id)?.definition ?? "{}",
  ) as Runbook;

export interface StepChange {
  state: StepState;
  startedAt?: number;
  endedAt?: number;
  command?: string;
  exitCode?: number | null;
  message?: string;
  askUntil?: number;
  answeredBy?: string;
  tries?: number;
}

export function updateStep(db: Db, runId: number, position: number, change: StepChange): void {
  prepared(
    db,
    `UPDATE run_step SET state = ?, started_at = coalesce(?, started_at), ended_at = coalesce(?, ended_at), command = coalesce(?, command),
       exit_code = coalesce(?, exit_code), message = coalesce(?, message), ask_until = coalesce(ask_until, ?),
       answered_by = coalesce(?, answered_by), tries = coalesce(?, tries)
     WHERE run_id = ? AND position = ?`,
  ).run(
    change.state,
    change.startedAt ?? null,
    change.endedAt ?? null,
    change.command ?? null,
    change.exitCode ?? null,
    change.message ?? null,
    change.askUntil ?? null,
    change.answeredBy ?? null,
    change.tries ?? null,
    runId,
    position,
  );
}

/** Until when a step waits for its approval: as it was first said. */
export const askUntil = (db: Db, runId: number, position: number): number | null =>
  prepared<{ ask_until: number | null }>(db, "SELECT ask_until FROM run_step WHERE run_id = ? AND position = ?").get(
    runId,
    position,
  )?.ask_until ?? null;

export function appendOutput(db: Db, runId: number, position: number, text: string, leftOut = 0): void {
  prepared(
    db,
    "UPDATE run_step SET output = output || ?, left_out = left_out + ? WHERE run_id = ? AND position = ?",
  ).run(text, leftOut, runId, position);
}

export interface RunStepRow {
  position: number;
  parent: number | null;
  branch: LaidStep["branch"];
  component_id: number | null;
  component: string | null;
  type: StepType;
  title: string;
  state: StepState;
  started_at: number | null;
  ended_at: number | null;
  command: string | null;
  exit_code: number | null;
  output: string;
  left_out: number;
  message: string | null;
  ask_until: number | null;
  answered_by: string | null;
  tries: number;
}

export function runById(db: Db, id: number): RunRow | undefined {
  return prepared<RunRow>(db, `${RUN} WHERE r.id = ?`).get(id);
}

export function stepsOfRun(db: Db, id: number): RunStepRow[] {
  return prepared<RunStepRow>(
    db,
    `SELECT s.position, s.parent, s.branch, s.component_id, c.name AS component, s.type, s.title, s.state, s.started_at, s.ended_at, s.command,
       s.exit_code, s.output, s.left_out, s.message, s.ask_until, s.answered_by, s.tries
     FROM run_step s LEFT JOIN component c ON c.id = s.component_id WHERE s.run_id = ? ORDER BY s.position`,
  ).all(id);
}

/** A run's steps as they were laid out, with how far each is. */
export function laidSteps(db: Db, id: number): (LaidStep & { state: StepState; endedAt: number | null })[] {
  return prepared<{
    position: number;
    parent: number | null;
    branch: LaidStep["branch"];
    component_id: number;
    step: string | null;
    words: string;
    state: StepState;
    ended_at: number | null;
  }>(
    db,
    `SELECT position, parent, branch, component_id, step, words, state, ended_at FROM run_step WHERE run_id = ?
     ORDER BY position`,
  )
    .all(id)
    .flatMap((row) =>
      row.step === null
        ? []
        : [
            {
              position: row.position,
              parent: row.parent,
              branch: row.branch,
              targetId: row.component_id,
              step: JSON.parse(row.step) as Step,
              words: JSON.parse(row.words) as Record<string, string>,
              state: row.state,
              endedAt: row.ended_at,
            },
          ],
    );
}

export function listRuns(db: Db, limit: number, untilMs: number): RunRow[] {
  return prepared<RunRow>(db, `${RUN} WHERE r.started_at <= ? ORDER BY r.started_at DESC, r.id DESC LIMIT ?`).all(
    untilMs,
    limit,
  );
}

export function runsOfIncident(db: Db, incidentId: number): RunRow[] {
  return prepared<RunRow>(db, `${ITS} ${RUN} WHERE r.incident_id IN (SELECT id FROM its) ORDER BY r.started_at`).all(
    incidentId,
  );
}

export const runsOfRunbook = (db: Db, runbookId: number, limit: number): RunRow[] =>
  prepared<RunRow>(db, `${RUN} WHERE r.runbook_id = ? ORDER BY r.started_at DESC LIMIT ?`).all(runbookId, limit);

export const openRuns = (db: Db): RunRow[] =>
  prepared<RunRow>(db, `${RUN} WHERE r.state = 'running' ORDER BY r.id`).all();

/** Runs of which a step waits for somebody's approval. */
export const askingRuns = (db: Db): RunRow[] =>
  prepared<RunRow>(
    db,
    `${RUN} WHERE r.id IN (SELECT run_id FROM run_step WHERE state = 'asking') AND r.state = 'running' ORDER BY r.id`,
  ).all();

/** How many steps and rounds wait for somebody's answer. */
export const countAsking = (db: Db): number =>
  prepared<{ count: number }>(
    db,
    `SELECT (SELECT count(*) FROM run_step WHERE state = 'asking') +
       (SELECT count(*) FROM chore_round WHERE state = 'asking') AS count`,
  ).get()?.count ?? 0;

/** Runs that are over, and whose figures are still watched. */
export const watchedRuns = (db: Db): RunRow[] =>
  prepared<RunRow>(db, `${RUN} WHERE r.proof = 'watching' ORDER BY r.id`).all();

/** Runs begun since an instant, oldest first, with the services of each target. */
export const runsSince = (db: Db, fromMs: number): RunRow[] =>
  prepared<RunRow>(db, `${RUN} WHERE r.started_at >= ? ORDER BY r.started_at, r.id`).all(fromMs);

/** What each run under way acts on. */
export function touchedByRuns(db: Db): { runId: number; touches: number[] }[] {
  return prepared<{ run_id: number; ids: string }>(
    db,
    `SELECT t.run_id, json_group_array(t.component_id) AS ids FROM run_target t JOIN run r ON r.id = t.run_id
     WHERE r.state = 'running' OR r.rollback = 'running' GROUP BY t.run_id`,
  )
    .all()
    .map((row) => ({ runId: row.run_id, touches: JSON.parse(row.ids) as number[] }));
}

/** The run under way that acts on a component, if any. */
export function runningOn(db: Db, componentId: number): number | undefined {
  return prepared<{ id: number }>(
    db,
    `SELECT r.id FROM run_target t JOIN run r ON r.id = t.run_id
     WHERE t.component_id = ? AND (r.state = 'running' OR r.rollback = 'running')`,
  ).get(componentId)?.id;
}
