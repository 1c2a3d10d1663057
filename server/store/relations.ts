import type { RelationType } from "#core/catalogue/kinds";
import { BY_HAND, isByHand } from "#core/topology/by-hand";
import { prepared, type Db } from "./database";
import { VALID_AT } from "./valid";

/** There at an instant, which is bound three times, and not hidden by then. */
const SHOWN_AT = `${VALID_AT} AND (hidden_at IS NULL OR hidden_at > ?)`;

export interface RelationSeen {
  type: RelationType;
  fromId: number;
  toId: number;
  detail: string;
  connections: number;
  seenBy: string;
}

/** Makes a relation; returns its id. One that a person hid before stays hidden when it is seen anew. */
export function insertRelation(db: Db, relation: RelationSeen, atMs: number): number {
  return Number(
    prepared(
      db,
      `INSERT INTO relation
         (type, from_id, to_id, detail, connections, seen_by, last_seen_at, valid_from, hidden_at, hidden_by)
       SELECT :type, :fromId, :toId, :detail, :connections, :seenBy, :atMs, :atMs, max(h.hidden_at), h.hidden_by
       FROM (SELECT 1) LEFT JOIN relation h
         ON h.from_id = :fromId AND h.to_id = :toId AND h.type = :type AND h.hidden_at IS NOT NULL`,
    ).run({ ...picked(relation), atMs }).lastInsertRowid,
  );
}

const picked = ({ type, fromId, toId, detail, connections, seenBy }: RelationSeen): RelationSeen => ({
  type,
  fromId,
  toId,
  detail,
  connections,
  seenBy,
});

/** Hides relations of one type between two components, or shows them again. */
export function hideRelations(
  db: Db,
  { type, from_id, to_id }: Pick<RelationRow, "type" | "from_id" | "to_id">,
  hidden: { by: string; atMs: number } | null,
): void {
  prepared(db, "UPDATE relation SET hidden_at = ?, hidden_by = ? WHERE from_id = ? AND to_id = ? AND type = ?").run(
    hidden?.atMs ?? null,
    hidden?.by ?? null,
    from_id,
    to_id,
    type,
  );
}

/** Has what people said of the relations of a component count for the one that it turned out to be. */
export function carryByHand(db: Db, goneId: number, intoId: number, atMs: number): void {
  const other = (id: number) => (id === goneId ? intoId : id);
  for (const row of relationsByHand(db, goneId)) {
    const [from, to] = [other(row.from_id), other(row.to_id)];
    if (from === to) continue;
    const { type, detail, connections } = row;
    const known = prepared<{ id: number }>(
      db,
      "SELECT id FROM relation WHERE type = ? AND from_id = ? AND to_id = ? AND detail = ? AND valid_to IS NULL",
    ).get(type, from, to, detail);
    const carried =
      known?.id ?? insertRelation(db, { type, fromId: from, toId: to, detail, connections, seenBy: row.seen_by }, atMs);
    if (row.hidden_at !== null)
      hideRelations(db, { type, from_id: from, to_id: to }, { by: row.hidden_by ?? "", atMs: row.hidden_at });
    // What is hidden is only remembered; what was seen is seen again, if it is so.
    if (!known && !isByHand(row.seen_by)) endRelation(db, carried, atMs);
  }
}

/** Present relations of a component that a person made or hid. */
export const relationsByHand = (db: Db, id: number): RelationRow[] =>
  prepared<RelationRow>(
    db,
    `${RELATION} WHERE (from_id = :id OR to_id = :id) AND valid_to IS NULL
       AND (hidden_at IS NOT NULL OR seen_by LIKE '${BY_HAND}%') ORDER BY id`,
  ).all({ id });

/** Notes a known relation as seen again. */
export function touchRelation(db: Db, id: number, connections: number, seenBy: string, atMs: number): void {
  prepared(
    db,
    `UPDATE relation SET last_seen_at = ?, connections = ?,
       seen_by = CASE WHEN seen_by LIKE '${BY_HAND}%' THEN seen_by ELSE ? END, seen_times = seen_times + 1,
       intermittent = CASE WHEN missed > 0 THEN 1 ELSE intermittent END, missed = 0 WHERE id = ?`,
  ).run(atMs, connections, seenBy, id);
}

export function endRelation(db: Db, id: number, atMs: number): void {
  prepared(db, "UPDATE relation SET valid_to = ? WHERE id = ? AND valid_to IS NULL").run(atMs, id);
}

/** Whether a part of a host talks to something, over the same port. */
export const isRelatedThroughPart = (db: Db, hostId: number, toId: number, detail: string): boolean =>
  prepared(
    db,
    `SELECT 1 FROM relation r JOIN component part ON part.id = r.from_id
     WHERE r.to_id = ? AND r.type = 'talks-to' AND r.detail = ? AND part.host_id = ? AND r.valid_to IS NULL LIMIT 1`,
  ).get(toId, detail, hostId) !== undefined;

/** Relations that begin, or end, at a component and that an observer told of. */
export const relationsSeenBy = (db: Db, end: "from_id" | "to_id", id: number, seenBy: string): RelationRow[] =>
  prepared<RelationRow>(db, `${RELATION} WHERE ${end} = ? AND seen_by = ? AND valid_to IS NULL`).all(id, seenBy);

/** Counts one more full look that did not see a relation. */
export function missRelation(db: Db, id: number): void {
  prepared(db, "UPDATE relation SET missed = missed + 1 WHERE id = ?").run(id);
}

/** Who saw a relation that only spans tell of: sweeps neither see nor miss it. */
export const SPANS = "spans";

export interface RelationRow {
  id: number;
  type: RelationType;
  from_id: number;
  to_id: number;
  detail: string;
  connections: number;
  seen_by: string;
  valid_from: number;
  valid_to: number | null;
  last_seen_at: number;
  /** How many looks saw it. */
  seen_times: number;
  /** 1 where it comes and goes. */
  intermittent: number;
  hidden_at: number | null;
  hidden_by: string | null;
}

const RELATION = `SELECT id, type, from_id, to_id, detail, connections, seen_by, valid_from, valid_to, last_seen_at,
  seen_times, intermittent, hidden_at, hidden_by FROM relation`;

export const relationById = (db: Db, id: number): RelationRow | undefined =>
  prepared<RelationRow>(db, `${RELATION} WHERE id = ?`).get(id);

export function currentRelations(db: Db): RelationRow[] {
  return prepared<RelationRow>(db, `${RELATION} WHERE valid_to IS NULL AND hidden_at IS NULL`).all();
}

export function relationsAt(db: Db, atMs: number): RelationRow[] {
  return prepared<RelationRow>(db, `${RELATION} WHERE ${SHOWN_AT}`).all(atMs, atMs, atMs);
}

/** Relations of some components with each other and with any others. */
export function relationsOf(db: Db, ids: Iterable<number>, atMs: number): RelationRow[] {
  const found = new Map<number, RelationRow>();
  const statements = [
    prepared<RelationRow>(db, `${RELATION} WHERE from_id = ? AND ${SHOWN_AT}`),
    prepared<RelationRow>(db, `${RELATION} WHERE to_id = ? AND ${SHOWN_AT}`),
  ];
  for (const id of ids)
    for (const statement of statements) for (const row of statement.all(id, atMs, atMs, atMs)) found.set(row.id, row);
  return [...found.values()].sort((a, b) => a.id - b.id);
}

/** Relations that begin and end among some components. */
export function relationsAmong(db: Db, ids: ReadonlySet<number>, atMs: number): RelationRow[] {
  return prepared<RelationRow>(
    db,
    `${RELATION} WHERE from_id IN (SELECT value FROM json_each(?)) AND ${SHOWN_AT} ORDER BY id`,
  )
    .all(JSON.stringify([...ids]), atMs, atMs, atMs)
    .filter((row) => ids.has(row.to_id));
}

/** Relations that end at some components. */
export function relationsTo(db: Db, ids: readonly number[], atMs: number): RelationRow[] {
  return prepared<RelationRow>(
    db,
    `${RELATION} WHERE to_id IN (SELECT value FROM json_each(?)) AND ${SHOWN_AT} ORDER BY id`,
  ).all(JSON.stringify(ids), atMs, atMs, atMs);
}

/** What some components lead to by one type of relation. */
export function targetsOf(db: Db, ids: Iterable<number>, type: RelationType, atMs: number): number[] {
  return prepared<{ id: number }>(
    db,
    `SELECT DISTINCT to_id AS id FROM relation
     WHERE from_id IN (SELECT value FROM json_each(?)) AND type = ? AND ${SHOWN_AT}`,
  )
    .all(JSON.stringify([...ids]), type, atMs, atMs, atMs)
    .map((row) => row.id);
}

/** Every virtual machine with what it goes by and the hypervisor it is on now. */
export function guestsOfHypervisors(db: Db): { hypervisor: number; key: string; guest: number }[] {
  return prepared<{ hypervisor: number; key: string; guest: number }>(
    db,
    `SELECT r.to_id AS hypervisor, k.key, r.from_id AS guest FROM relation r
     JOIN component_key k ON k.component_id = r.from_id AND (k.key LIKE 'uuid:%' OR k.key LIKE 'guest:%')
     WHERE r.type = 'hosted-by' AND r.valid_to IS NULL AND r.hidden_at IS NULL`,
  ).all();
}
