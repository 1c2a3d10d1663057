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

export function incidentsNamedLike(
  db: Db,
  text: string,
  limit: number,
): { id: number; title: string; openedAt: number }[] {
  return prepared<{ id: number; title: string; openedAt: number }>(
    db,
    "SELECT id, title, opened_at AS openedAt FROM incident WHERE title LIKE ? ESCAPE '\\' ORDER BY opened_at DESC LIMIT ?",
  ).all(like(text), limit);
}
