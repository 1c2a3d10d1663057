import { choreSchema, type Chore } from "#core/repair/chore";
import type { Ruling } from "#core/repair/guardrails";
import type { RoundEnd, RoundItemState } from "#core/repair/round";
import { prepared, readMeta, writeMeta, type Db } from "./database";

export interface ChoreRow {
  id: number;
  definition: Chore;
  since: number;
  changed_by: string;
  next_at: number | null;
  fell_back_at: number | null;
  fell_back_why: string;
}

type Raw = Omit<ChoreRow, "definition"> & { definition: string };
const toChore = (row: Raw): ChoreRow => ({ ...row, definition: choreSchema.parse(JSON.parse(row.definition)) });
const SELECT = "SELECT id, definition, since, changed_by, next_at, fell_back_at, fell_back_why FROM chore";

export const listChores = (db: Db): ChoreRow[] => prepared<Raw>(db, `${SELECT} ORDER BY name`).all().map(toChore);

export function choreById(db: Db, id: number): ChoreRow | undefined {
  const row = prepared<Raw>(db, `${SELECT} WHERE id = ?`).get(id);
  return row && toChore(row);
}

export const choreNamed = (db: Db, name: string): ChoreRow | undefined =>
  listChores(db).find((one) => one.definition.name === name);

/** @returns its id */
export function saveChore(
  db: Db,
  id: number | undefined,
  definition: Chore,
  { by, atMs, nextMs }: { by: string; atMs: number; nextMs: number | null },
): number {
  const json = JSON.stringify(definition);
  if (id === undefined)
    return Number(
      prepared(db, "INSERT INTO chore (name, definition, since, changed_by, next_at) VALUES (?, ?, ?, ?, ?)").run(
        definition.name,
        json,
        atMs,
        by,
        nextMs,
      ).lastInsertRowid,
    );
  prepared(
    db,
    `UPDATE chore SET name = ?, definition = ?, since = ?, changed_by = ?, next_at = ?, fell_back_at = NULL, fell_back_why = ''
     WHERE id = ?`,
  ).run(definition.name, json, atMs, by, nextMs, id);
  return id;
}

export const removeChore = (db: Db, id: number): void => void prepared(db, "DELETE FROM chore WHERE id = ?").run(id);

export const setNextAt = (db: Db, id: number, nextMs: number | null): void =>
  void prepared(db, "UPDATE chore SET next_at = ? WHERE id = ?").run(nextMs, id);

/** Trust falls back by itself. */
export function choreFallsBack(db: Db, chore: ChoreRow, level: Chore["level"], why: string, atMs: number): void {
  prepared(db, "UPDATE chore SET definition = ?, fell_back_at = ?, fell_back_why = ? WHERE id = ?").run(
    JSON.stringify({ ...chore.definition, level }),
    atMs,
    why,
    chore.id,
  );
}

const OFFERED = "chores offered";

/** Offers a ready chore once: one that was removed or renamed does not come back. */
export function offerChore(db: Db, definition: Chore, atMs: number, nextMs: number | null): void {
  const offered = JSON.parse(readMeta(db, OFFERED) ?? "[]") as string[];
  if (offered.includes(definition.name)) return;
  if (!choreNamed(db, definition.name)) saveChore(db, undefined, definition, { by: "kit", atMs, nextMs });
  writeMeta(db, OFFERED, JSON.stringify([...offered, definition.name]));
}

// --- rounds

export type RoundState = "watched" | "asking" | "going" | "declined" | "missed" | RoundEnd;

export interface RoundRow {
  id: number;
  chore_id: number;
  due_at: number;
  until: number;
  begun_by: string;
  state: RoundState;
  words: string;
  answered_by: string | null;
  ended_at: number | null;
}
const ROUND = "SELECT id, chore_id, due_at, until, begun_by, state, words, answered_by, ended_at FROM chore_round";

export const addRound = (db: Db, round: Omit<RoundRow, "id" | "answered_by">): number =>
  Number(
    prepared(
      db,
      `INSERT INTO chore_round (chore_id, due_at, until, begun_by, state, words, ended_at) VALUES (?, ?, ?, ?, ?, ?, ?)`,
    ).run(round.chore_id, round.due_at, round.until, round.begun_by, round.state, round.words, round.ended_at)
      .lastInsertRowid,
  );

export const setRound = (
  db: Db,
  id: number,
  change: { state: RoundState; words?: string; by?: string; endedAt?: number; until?: number },
): void =>
  void prepared(
    db,
    `UPDATE chore_round SET state = ?, words = coalesce(?, words), answered_by = coalesce(?, answered_by),
       ended_at = coalesce(?, ended_at), until = coalesce(?, until) WHERE id = ?`,
  ).run(change.state, change.words ?? null, change.by ?? null, change.endedAt ?? null, change.until ?? null, id);

export const roundById = (db: Db, id: number): RoundRow | undefined =>
  prepared<RoundRow>(db, `${ROUND} WHERE id = ?`).get(id);

/** Rounds that ask or go on, oldest first. */
export const openRounds = (db: Db): RoundRow[] =>
  prepared<RoundRow>(db, `${ROUND} WHERE state IN ('asking', 'going') ORDER BY due_at, id`).all();

export const roundsOf = (db: Db, choreId: number, limit: number): RoundRow[] =>
  prepared<RoundRow>(db, `${ROUND} WHERE chore_id = ? ORDER BY due_at DESC, id DESC LIMIT ?`).all(choreId, limit);

/** Keeps the newest rounds of a chore; runs stay on record. */
export const forgetRounds = (db: Db, choreId: number, keep: number): void =>
  void prepared(
    db,
    `DELETE FROM chore_round WHERE chore_id = ? AND state NOT IN ('asking', 'going') AND id NOT IN
       (SELECT id FROM chore_round WHERE chore_id = ? ORDER BY due_at DESC, id DESC LIMIT ?)`,
  ).run(choreId, choreId, keep);

// --- what a round is about

export interface ItemRow {
  id: number;
  round_id: number;
  component_id: number;
  component: string;
  instance: string;
  why: string;
  words: Record<string, string>;
  state: RoundItemState;
  said: string;
  rulings: Ruling[];
  run_id: number | null;
}
type RawItem = Omit<ItemRow, "words" | "rulings"> & { words: string; rulings: string };
const toItem = (row: RawItem): ItemRow => ({
  ...row,
  words: JSON.parse(row.words) as Record<string, string>,
  rulings: JSON.parse(row.rulings) as Ruling[],
});
const ITEM = `SELECT i.id, i.round_id, i.component_id, c.name AS component, i.instance, i.why, i.words, i.state, i.said, i.rulings, i.run_id
  FROM chore_item i JOIN component c ON c.id = i.component_id`;

export const addItem = (db: Db, roundId: number, one: Pick<ItemRow, "component_id" | "instance" | "why" | "words">) =>
  Number(
    prepared(
      db,
      `INSERT INTO chore_item (round_id, component_id, instance, why, words, state) VALUES (?, ?, ?, ?, ?, 'waiting')`,
    ).run(roundId, one.component_id, one.instance, one.why, JSON.stringify(one.words)).lastInsertRowid,
  );

export const itemsOfRound = (db: Db, roundId: number): ItemRow[] =>
  prepared<RawItem>(db, `${ITEM} WHERE i.round_id = ? ORDER BY i.id`).all(roundId).map(toItem);

export const setItem = (
  db: Db,
  id: number,
  change: { state: RoundItemState; said?: string; rulings?: readonly Ruling[]; runId?: number },
): void =>
  void prepared(
    db,
    `UPDATE chore_item SET state = ?, said = coalesce(?, said), rulings = coalesce(?, rulings), run_id = coalesce(?, run_id)
     WHERE id = ?`,
  ).run(
    change.state,
    change.said ?? null,
    change.rulings === undefined ? null : JSON.stringify(change.rulings),
    change.runId ?? null,
    id,
  );

/** Says what would be done of an item that still waits; what was begun meanwhile stays as it is. */
export const foretellItem = (db: Db, id: number, said: string): void =>
  void prepared(db, "UPDATE chore_item SET said = ? WHERE id = ? AND state = 'waiting'").run(said, id);

/** Every item that still waits becomes this. */
export const endItems = (db: Db, roundId: number, state: RoundItemState): void =>
  void prepared(db, "UPDATE chore_item SET state = ? WHERE round_id = ? AND state = 'waiting'").run(state, roundId);

export const itemOfRun = (db: Db, runId: number): ItemRow | undefined => {
  const row = prepared<RawItem>(db, `${ITEM} WHERE i.run_id = ?`).get(runId);
  return row && toItem(row);
};

/** When a component (and instance) was last due for a chore; undefined where it never was. */
export const lastDueMs = (db: Db, choreId: number, componentId: number, instance: string): number | undefined =>
  prepared<{ at: number | null }>(
    db,
    `SELECT max(r.due_at) AS at FROM chore_item i JOIN chore_round r ON r.id = i.round_id
     WHERE r.chore_id = ? AND i.component_id = ? AND i.instance = ?`,
  ).get(choreId, componentId, instance)?.at ?? undefined;
