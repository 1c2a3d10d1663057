import type { Ruling } from "#core/repair/guardrails";
import { policySchema, type PolicyDefinition } from "#core/repair/policy";
import { deleteMeta, prepared, readMeta, writeMeta, type Db } from "./database";

export interface PolicyRow {
  id: number;
  definition: PolicyDefinition;
  since: number;
  changed_by: string;
  fell_back_at: number | null;
  fell_back_why: string;
}

type Raw = Omit<PolicyRow, "definition"> & { definition: string };
const toPolicy = (row: Raw): PolicyRow => ({ ...row, definition: policySchema.parse(JSON.parse(row.definition)) });
const SELECT = "SELECT id, definition, since, changed_by, fell_back_at, fell_back_why FROM policy";

export const listPolicies = (db: Db): PolicyRow[] => prepared<Raw>(db, `${SELECT} ORDER BY id`).all().map(toPolicy);

export function policyById(db: Db, id: number): PolicyRow | undefined {
  const row = prepared<Raw>(db, `${SELECT} WHERE id = ?`).get(id);
  return row && toPolicy(row);
}

export const policyNamed = (db: Db, name: string): PolicyRow | undefined =>
  listPolicies(db).find((one) => one.definition.name === name);

/** @returns its id */
export function savePolicy(
  db: Db,
  id: number | undefined,
  definition: PolicyDefinition,
  by: string,
  atMs: number,
): number {
  const json = JSON.stringify(definition);
  if (id === undefined)
    return Number(
      prepared(db, "INSERT INTO policy (name, definition, since, changed_by) VALUES (?, ?, ?, ?)").run(
        definition.name,
        json,
        atMs,
        by,
      ).lastInsertRowid,
    );
  prepared(
    db,
    `UPDATE policy SET name = ?, definition = ?, since = ?, changed_by = ?, fell_back_at = NULL, fell_back_why = ''
     WHERE id = ?`,
  ).run(definition.name, json, atMs, by, id);
  return id;
}

export const removePolicy = (db: Db, id: number): void => void prepared(db, "DELETE FROM policy WHERE id = ?").run(id);

const OFFERED = "policies offered";

/** Offers a ready policy once: one that was removed or renamed does not come back. */
export function offerPolicy(db: Db, definition: PolicyDefinition, atMs: number): void {
  const offered = JSON.parse(readMeta(db, OFFERED) ?? "[]") as string[];
  if (offered.includes(definition.name)) return;
  if (!policyNamed(db, definition.name)) savePolicy(db, undefined, definition, "kit", atMs);
  writeMeta(db, OFFERED, JSON.stringify([...offered, definition.name]));
}

/** Trust falls back by itself. */
export function fallBack(db: Db, policy: PolicyRow, level: PolicyDefinition["level"], why: string, atMs: number): void {
  prepared(db, "UPDATE policy SET definition = ?, fell_back_at = ?, fell_back_why = ? WHERE id = ?").run(
    JSON.stringify({ ...policy.definition, level }),
    atMs,
    why,
    policy.id,
  );
}

export interface ActRow {
  id: number;
  policy_id: number;
  policy: string;
  incident_id: number;
  component_id: number;
  component: string;
  at: number;
  did: "would" | "proposed" | "asked" | "started" | "held";
  args: Record<string, string>;
  why: string;
  rulings: Ruling[];
  run_id: number | null;
}

type RawAct = Omit<ActRow, "args" | "rulings"> & { args: string; rulings: string };
const toAct = (row: RawAct): ActRow => ({
  ...row,
  args: JSON.parse(row.args) as Record<string, string>,
  rulings: JSON.parse(row.rulings) as Ruling[],
});
const ACT = `SELECT a.id, a.policy_id, p.name AS policy, a.incident_id, a.component_id, c.name AS component, a.at, a.did, a.args, a.why, a.rulings, a.run_id
  FROM policy_act a JOIN policy p ON p.id = a.policy_id JOIN component c ON c.id = a.component_id`;

export type NewAct = Omit<ActRow, "id" | "policy" | "component" | "run_id">;

export const addAct = (db: Db, act: NewAct): number =>
  Number(
    prepared(
      db,
      `INSERT INTO policy_act (policy_id, incident_id, component_id, at, did, args, why, rulings)
       VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
    ).run(
      act.policy_id,
      act.incident_id,
      act.component_id,
      act.at,
      act.did,
      JSON.stringify(act.args),
      act.why,
      JSON.stringify(act.rulings),
    ).lastInsertRowid,
  );

export const updateAct = (db: Db, id: number, act: Pick<ActRow, "did" | "rulings" | "why" | "at">): void =>
  void prepared(db, "UPDATE policy_act SET did = ?, rulings = ?, why = ?, at = ? WHERE id = ?").run(
    act.did,
    JSON.stringify(act.rulings),
    act.why,
    act.at,
    id,
  );

export const linkAct = (db: Db, id: number, runId: number): void =>
  void prepared(db, "UPDATE policy_act SET run_id = ? WHERE id = ?").run(runId, id);

export const actsOfIncident = (db: Db, incidentId: number): ActRow[] =>
  prepared<RawAct>(db, `${ACT} WHERE a.incident_id = ? ORDER BY a.at, a.id`).all(incidentId).map(toAct);

export const actsOfPolicy = (db: Db, policyId: number, limit: number): ActRow[] =>
  prepared<RawAct>(db, `${ACT} WHERE a.policy_id = ? ORDER BY a.at DESC, a.id DESC LIMIT ?`)
    .all(policyId, limit)
    .map(toAct);

export const actById = (db: Db, id: number): ActRow | undefined => {
  const row = prepared<RawAct>(db, `${ACT} WHERE a.id = ?`).get(id);
  return row && toAct(row);
};

/** All automatic acts are stopped: by whom, since when, and why. */
export interface Halt {
  by: string;
  atMs: number;
  why: string;
}
const HALT = "repair halt";

export function readHalt(db: Db): Halt | null {
  const text = readMeta(db, HALT);
  return text === undefined || text === null ? null : (JSON.parse(text) as Halt);
}

export function writeHalt(db: Db, halt: Halt | null): void {
  if (halt) writeMeta(db, HALT, JSON.stringify(halt));
  else deleteMeta(db, HALT);
}
