import type { Override, RotationPlan } from "#core/telling/rotation";
import { prepared, type Db } from "./database";

export interface RotationRow {
  id: number;
  name: string;
  plan: RotationPlan;
}

/** Plans by how they are written down: what is worked out of one is remembered with it (`onCallAt`). */
const plans = new Map<string, RotationPlan>();
const MOST_PLANS = 200;

function planOf(definition: string): RotationPlan {
  let plan = plans.get(definition);
  if (!plan) {
    if (plans.size >= MOST_PLANS) plans.clear();
    plan = JSON.parse(definition) as RotationPlan;
    plans.set(definition, plan);
  }
  return plan;
}

export const listRotations = (db: Db): RotationRow[] =>
  prepared<{ id: number; name: string; definition: string }>(
    db,
    "SELECT id, name, definition FROM rotation ORDER BY name",
  )
    .all()
    .map(({ id, name, definition }) => ({ id, name, plan: planOf(definition) }));

export const rotationById = (db: Db, id: number): RotationRow | undefined =>
  listRotations(db).find((one) => one.id === id);

/** @returns its id */
export function saveRotation(
  db: Db,
  id: number | undefined,
  { name, plan }: Omit<RotationRow, "id">,
  by: string,
  atMs: number,
): number {
  const values = [name, JSON.stringify(plan), atMs, by] as const;
  if (id === undefined)
    return Number(
      prepared(db, "INSERT INTO rotation (name, definition, changed_at, changed_by) VALUES (?, ?, ?, ?)").run(...values)
        .lastInsertRowid,
    );
  prepared(db, "UPDATE rotation SET name = ?, definition = ?, changed_at = ?, changed_by = ? WHERE id = ?").run(
    ...values,
    id,
  );
  return id;
}

export function removeRotation(db: Db, id: number): void {
  prepared(db, "DELETE FROM rotation WHERE id = ?").run(id);
}

/** Somebody takes over for a while. */
export interface OverrideRow extends Override {
  id: number;
  rotationId: number;
  remark: string;
  madeBy: string;
}

/** Those that end after an instant, the latest word last. */
export const overridesAfter = (db: Db, atMs: number): OverrideRow[] =>
  prepared<OverrideRow>(
    db,
    `SELECT id, rotation_id AS rotationId, account_id AS person, from_at AS fromMs, to_at AS toMs, remark, made_by AS madeBy
     FROM rotation_override WHERE to_at > ? ORDER BY id`,
  ).all(atMs);

export function addOverride(
  db: Db,
  { rotationId, person, fromMs, toMs, remark, madeBy }: Omit<OverrideRow, "id">,
  atMs: number,
): number {
  return Number(
    prepared(
      db,
      `INSERT INTO rotation_override (rotation_id, account_id, from_at, to_at, remark, made_at, made_by)
       VALUES (?, ?, ?, ?, ?, ?, ?)`,
    ).run(rotationId, person, fromMs, toMs, remark, atMs, madeBy).lastInsertRowid,
  );
}

export const overrideById = (db: Db, id: number): OverrideRow | undefined =>
  overridesAfter(db, 0).find((one) => one.id === id);

export function removeOverride(db: Db, id: number): void {
  prepared(db, "DELETE FROM rotation_override WHERE id = ?").run(id);
}
