import { isOfPlatform } from "#core/estate/labels";
import { prepared, type Db } from "./database";
import { VALID_AT } from "./valid";

/**
 * Sets a fact from an instant on; the value before is kept with the time it ended.
 * @param by the observer; kept with facts that only platforms tell
 */
export function writeFact(db: Db, id: number, name: string, value: string | undefined, atMs: number, by = ""): void {
  const now = prepared<{ value: string }>(
    db,
    "SELECT value FROM fact WHERE component_id = ? AND name = ? AND valid_to IS NULL",
  ).get(id, name);
  if (now?.value === value) return;
  if (now)
    prepared(db, "UPDATE fact SET valid_to = ? WHERE component_id = ? AND name = ? AND valid_to IS NULL").run(
      atMs,
      id,
      name,
    );
  if (value !== undefined)
    prepared(
      db,
      `INSERT INTO fact (component_id, name, value, valid_from, told_by) VALUES (?, ?, ?, ?, ?) ON CONFLICT DO UPDATE
       SET value = excluded.value, valid_to = NULL, told_by = excluded.told_by`,
    ).run(id, name, value, atMs, isOfPlatform(name) ? by : "");
}

export interface FactRow {
  name: string;
  value: string;
  valid_from: number;
}

export function factsAt(db: Db, id: number, atMs: number): FactRow[] {
  return prepared<FactRow>(
    db,
    `SELECT name, value, valid_from FROM fact WHERE component_id = ? AND ${VALID_AT} ORDER BY name`,
  ).all(id, atMs, atMs);
}

/** Some facts of many components at an instant. */
export function factsOfMany(
  db: Db,
  ids: Iterable<number>,
  names: readonly string[],
  atMs: number,
): Map<number, Record<string, string>> {
  const found = new Map<number, Record<string, string>>();
  const rows = prepared<{ id: number; name: string; value: string }>(
    db,
    `SELECT component_id AS id, name, value FROM fact WHERE component_id IN (SELECT value FROM json_each(?))
       AND name IN (SELECT value FROM json_each(?)) AND ${VALID_AT}`,
  ).all(JSON.stringify([...ids]), JSON.stringify(names), atMs, atMs);
  for (const { id, name, value } of rows) {
    const own = found.get(id) ?? {};
    own[name] = value;
    found.set(id, own);
  }
  return found;
}

/** Which of some facts any of many components has at an instant, in the order asked. */
export function factNamesOfMany(db: Db, ids: Iterable<number>, names: readonly string[], atMs: number): string[] {
  const list = JSON.stringify([...ids]);
  const some = prepared<{ found: number }>(
    db,
    `SELECT EXISTS (SELECT 1 FROM json_each(?) j CROSS JOIN fact ON component_id = j.value AND name = ? AND ${VALID_AT}) AS found`,
  );
  return names.filter((name) => some.get(list, name, atMs, atMs)?.found === 1);
}

/** The present values of one fact, by component. */
export const factValues = (db: Db, name: string): Map<number, string> =>
  new Map(
    prepared<{ id: number; value: string }>(
      db,
      "SELECT component_id AS id, value FROM fact WHERE name = ? AND valid_to IS NULL",
    )
      .all(name)
      .map((row) => [row.id, row.value]),
  );

/** One fact of every component that has it, as it was at an instant. */
export const factRowsAt = (
  db: Db,
  name: string,
  atMs: number,
): { component_id: number; value: string; valid_from: number }[] =>
  prepared<{ component_id: number; value: string; valid_from: number }>(
    db,
    `SELECT component_id, value, valid_from FROM fact WHERE name = ? AND ${VALID_AT} ORDER BY component_id`,
  ).all(name, atMs, atMs);

export interface FactSpan extends FactRow {
  valid_to: number | null;
}

/** Everything that was ever told of a component, the latest first; at most `limit` values. */
export const factHistory = (db: Db, id: number, limit: number): FactSpan[] =>
  prepared<FactSpan>(
    db,
    `SELECT name, value, valid_from, valid_to FROM fact WHERE component_id = ?
     ORDER BY valid_from DESC, name LIMIT ?`,
  ).all(id, limit);
