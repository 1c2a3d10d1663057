import type { RunState, Runbook, StepState, StepType } from "#core/repair/runbook";
import { prepared, type Db } from "./database";

export interface RunbookRow {
  id: number;
  uid: string;
  name: string;
  definition: Runbook;
}

interface RawRunbook {
  id: number;
  uid: string;
  name: string;
  definition: string;
}

const toRunbook = (row: RawRunbook): RunbookRow => ({ ...row, definition: JSON.parse(row.definition) as Runbook });

export function saveRunbook(db: Db, runbook: Runbook, atMs: number): void {
  prepared(
    db,
    `INSERT INTO runbook (uid, name, definition, updated_at) VALUES (?, ?, ?, ?) ON CONFLICT (uid) DO UPDATE
     SET name = excluded.name, definition = excluded.definition, updated_at = excluded.updated_at`,
  ).run(runbook.uid, runbook.name, JSON.stringify(runbook), atMs);
}

export function listRunbooks(db: Db): RunbookRow[] {
  return prepared<RawRunbook>(db, "SELECT id, uid, name, definition FROM runbook ORDER BY name").all().map(toRunbook);
}

export function runbookById(db: Db, id: number): RunbookRow | undefined {
  const row = prepared<RawRunbook>(db, "SELECT id, uid, name, definition FROM runbook WHERE id = ?").get(id);
  return row && toRunbook(row);
}

export interface RunRow {
  id: number;
  runbook_id: number;
  runbook: string;
  component_id: number;
  component: string;
  incident_id: number | null;
  args: string;
  state: RunState;
  started_by: string;
  started_at: number;
  ended_at: number | null;
  message: string | null;
}

const RUN = `SELECT r.id, r.runbook_id, b.name AS runbook, r.component_id, c.name AS component, r.incident_id, r.args, r.state, r.started_by, r.started_at, r.ended_at, r.message
  FROM run r JOIN runbook b ON b.id = r.runbook_id JOIN component c ON c.id = r.component_id`;

export interface NewRun {
  runbookId: number;
  definition: Runbook;
  componentId: number;
  incidentId: number | null;
  args: Record<string, string>;
  by: string;
}

export function insertRun(db: Db, run: NewRun, atMs: number): number {
  const id = Number(
    prepared(
      db,
      `INSERT INTO run (runbook_id, definition, component_id, incident_id, args, state, started_by, started_at)
       VALUES (?, ?, ?, ?, ?, 'running', ?, ?)`,
    ).run(
      run.runbookId,
      JSON.stringify(run.definition),
      run.componentId,
      run.incidentId,
      JSON.stringify(run.args),
      run.by,
      atMs,
    ).lastInsertRowid,
  );
  run.definition.steps.forEach((step, position) =>
    prepared(db, "INSERT INTO run_step (run_id, position, type, title, state) VALUES (?, ?, ?, ?, 'waiting')").run(
      id,
      position,
      step.type,
      step.title,
    ),
  );
  return id;
}

export function endRun(db: Db, id: number, state: RunState, message: string | null, atMs: number): void {
  prepared(db, "UPDATE run SET state = ?, message = ?, ended_at = ? WHERE id = ?").run(state, message, atMs, id);
}

export function endInterruptedRuns(db: Db, atMs: number): void {
  prepared(
    db,
    `UPDATE run_step SET state = 'stopped', ended_at = ? WHERE state = 'running' AND run_id IN (SELECT id FROM run
     WHERE state = 'running')`,
  ).run(atMs);
  prepared(
    db,
    `UPDATE run_step SET state = 'skipped' WHERE state = 'waiting' AND run_id IN (SELECT id FROM run
     WHERE state = 'running')`,
  ).run();
  prepared(
    db,
    `UPDATE run
     SET state = 'stopped', ended_at = ?,
       message = 'Cut off because Holotaxis was stopped. Look at what the last step did before starting again.'
     WHERE state = 'running'`,
  ).run(atMs);
}

export interface StepChange {
  state: StepState;
  startedAt?: number;
  endedAt?: number;
  command?: string;
  exitCode?: number | null;
  message?: string;
}

export function updateStep(db: Db, runId: number, position: number, change: StepChange): void {
  prepared(
    db,
    `UPDATE run_step SET state = ?, started_at = coalesce(?, started_at), ended_at = coalesce(?, ended_at), command = coalesce(?, command), exit_code = coalesce(?, exit_code), message = coalesce(?, message)
     WHERE run_id = ? AND position = ?`,
  ).run(
    change.state,
    change.startedAt ?? null,
    change.endedAt ?? null,
    change.command ?? null,
    change.exitCode ?? null,
    change.message ?? null,
    runId,
    position,
  );
}

export function appendOutput(db: Db, runId: number, position: number, text: string): void {
  prepared(db, "UPDATE run_step SET output = output || ? WHERE run_id = ? AND position = ?").run(text, runId, position);
}

export interface RunStepRow {
  position: number;
  type: StepType;
  title: string;
  state: StepState;
  started_at: number | null;
  ended_at: number | null;
  command: string | null;
  exit_code: number | null;
  output: string;
  message: string | null;
}

export function runById(db: Db, id: number): RunRow | undefined {
  return prepared<RunRow>(db, `${RUN} WHERE r.id = ?`).get(id);
}

export function stepsOfRun(db: Db, id: number): RunStepRow[] {
  return prepared<RunStepRow>(
    db,
    `SELECT position, type, title, state, started_at, ended_at, command, exit_code, output, message FROM run_step
     WHERE run_id = ? ORDER BY position`,
  ).all(id);
}

export function listRuns(db: Db, limit: number, untilMs: number): RunRow[] {
  return prepared<RunRow>(db, `${RUN} WHERE r.started_at <= ? ORDER BY r.started_at DESC, r.id DESC LIMIT ?`).all(
    untilMs,
    limit,
  );
}

export function runsOfIncident(db: Db, incidentId: number): RunRow[] {
  return prepared<RunRow>(db, `${RUN} WHERE r.incident_id = ? ORDER BY r.started_at`).all(incidentId);
}

export interface HostKey {
  fingerprint: string;
  firstSeenAt: number;
  approvedBy: string | null;
  credentialId: number | null;
}

export const hostKeyOf = (db: Db, address: string, port: number): HostKey | undefined =>
  prepared<HostKey>(
    db,
    `SELECT fingerprint, first_seen_at AS firstSeenAt, approved_by AS approvedBy, credential_id AS credentialId
     FROM host_key WHERE address = ? AND port = ?`,
  ).get(address, port);

/** A person says that this is the host and its key, and with which credential it is signed in to. */
export function approveHostKey(
  db: Db,
  host: { address: string; port: number; fingerprint: string; credentialId: number },
  by: string,
  atMs: number,
): void {
  prepared(
    db,
    `INSERT INTO host_key (address, port, fingerprint, first_seen_at, approved_by, credential_id)
     VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT (address, port) DO UPDATE SET fingerprint = excluded.fingerprint,
       first_seen_at = excluded.first_seen_at, approved_by = excluded.approved_by, credential_id = excluded.credential_id`,
  ).run(host.address, host.port, host.fingerprint, atMs, by, host.credentialId);
}

export function forgetHostKey(db: Db, address: string, port: number): void {
  prepared(db, "DELETE FROM host_key WHERE address = ? AND port = ?").run(address, port);
}

export function trustHostKey(db: Db, address: string, port: number, fingerprint: string, atMs: number): void {
  prepared(db, "INSERT OR IGNORE INTO host_key (address, port, fingerprint, first_seen_at) VALUES (?, ?, ?, ?)").run(
    address,
    port,
    fingerprint,
    atMs,
  );
}

/** The run under way on a component, if any. */
export function runningOn(db: Db, componentId: number): number | undefined {
  return prepared<{ id: number }>(db, "SELECT id FROM run WHERE component_id = ? AND state = 'running'").get(
    componentId,
  )?.id;
}
