import { prepared, type Db } from "./database";

const like = (text: string) => `%${text.replaceAll(/[\\%_]/g, (sign) => `\\${sign}`)}%`;

/** Components whose name or address holds the text; names that begin with it come first. */
export function componentsNamedLike(
  db: Db,
  text: string,
  atMs: number,
  limit: number,
): { id: number; name: string; kind: string; address: string | null }[] {
  return prepared<{ id: number; name: string; kind: string; address: string | null }>(
    db,
    `SELECT id, name, kind, address FROM component WHERE (name LIKE ? ESCAPE '\\' OR address LIKE ? ESCAPE '\\') AND valid_from <= ? AND (valid_to IS NULL OR valid_to > ?)
     ORDER BY instr(lower(name), lower(?)) <> 1, length(name), name LIMIT ?`,
  ).all(like(text), like(text), atMs, atMs, text, limit);
}

export function servicesNamedLike(db: Db, text: string, limit: number): { uid: string; name: string }[] {
  return prepared<{ uid: string; name: string }>(
    db,
    "SELECT uid, name FROM service WHERE name LIKE ? ESCAPE '\\' AND valid_to IS NULL ORDER BY name LIMIT ?",
  ).all(like(text), limit);
}

/** Incidents whose title holds the text, and the one of a number before all others. */
export function incidentsNamedLike(
  db: Db,
  text: string,
  limit: number,
  number?: number,
): { id: number; title: string; openedAt: number }[] {
  return prepared<{ id: number; title: string; openedAt: number }>(
    db,
    `SELECT id, title, opened_at AS openedAt FROM incident WHERE title LIKE ? ESCAPE '\\' OR id = ?
     ORDER BY id = ? DESC, opened_at DESC LIMIT ?`,
  ).all(like(text), number ?? -1, number ?? -1, limit);
}

/** Facts whose value holds the text, such as versions and products, with how many components have each. */
export const factsLike = (db: Db, text: string, limit: number): { name: string; value: string; count: number }[] =>
  prepared<{ name: string; value: string; count: number }>(
    db,
    `SELECT name, value, count(*) AS count FROM fact WHERE value LIKE ? ESCAPE '\\' AND valid_to IS NULL
       AND length(value) <= 80 GROUP BY name, value ORDER BY name <> 'version', count DESC, value LIMIT ?`,
  ).all(like(text), limit);

export const metricsNamedLike = (db: Db, text: string, limit: number): string[] =>
  prepared<{ metric: string }>(
    db,
    `SELECT DISTINCT metric FROM series
     WHERE metric LIKE :like ESCAPE '\\' OR metric_name(metric, '') LIKE :like ESCAPE '\\'
     ORDER BY length(metric), metric LIMIT :limit`,
  )
    .all({ like: like(text), limit })
    .map((row) => row.metric);

/** Log patterns that hold the text, those said lately first. */
export const patternsLike = (db: Db, text: string, limit: number): { id: number; text: string; count: number }[] =>
  prepared<{ id: number; text: string; count: number }>(
    db,
    "SELECT id, text, count FROM log_pattern WHERE text LIKE ? ESCAPE '\\' ORDER BY last_at DESC LIMIT ?",
  ).all(like(text), limit);

/** Present relations between a component whose name holds the one text and one whose name holds the other. */
export const relationsLike = (
  db: Db,
  from: string,
  to: string,
  limit: number,
): { id: number; from: string; to: string; type: string }[] =>
  prepared<{ id: number; from: string; to: string; type: string }>(
    db,
    `SELECT r.id, a.name AS "from", b.name AS "to", r.type FROM relation r JOIN component a ON a.id = r.from_id
     JOIN component b ON b.id = r.to_id WHERE r.valid_to IS NULL AND a.name LIKE ? ESCAPE '\\' AND b.name LIKE ? ESCAPE '\\'
     ORDER BY length(a.name) + length(b.name) LIMIT ?`,
  ).all(like(from), like(to), limit);
