import type { Label, LabelName } from "#core/estate/labels";
import { prepared, type Db } from "./database";
import { VALID_AT } from "./valid";

export interface LabelRow {
  name: LabelName;
  value: string;
  by_whom: string;
  valid_from: number;
}

export const labelsAt = (db: Db, id: number, atMs: number): LabelRow[] =>
  prepared<LabelRow>(
    db,
    `SELECT name, value, by_whom, valid_from FROM label WHERE component_id = ? AND ${VALID_AT} ORDER BY name, value`,
  ).all(id, atMs, atMs);

/** Puts a label on components; one that there is but one of takes the place of the one before. */
export function putLabel(
  db: Db,
  ids: readonly number[],
  name: LabelName,
  value: string,
  by: string,
  atMs: number,
): void {
  const end = prepared(
    db,
    `UPDATE label SET valid_to = ? WHERE component_id = ? AND name = ? AND value <> ? AND valid_to IS NULL`,
  );
  const has = prepared(
    db,
    "SELECT 1 FROM label WHERE component_id = ? AND name = ? AND value = ? AND valid_to IS NULL",
  );
  const insert = prepared(
    db,
    `INSERT INTO label (component_id, name, value, by_whom, valid_from) VALUES (?, ?, ?, ?, ?)
     ON CONFLICT DO UPDATE SET valid_to = NULL, by_whom = excluded.by_whom`,
  );
  for (const id of ids) {
    if (name !== "tag") end.run(atMs, id, name, value);
    if (!has.get(id, name, value)) insert.run(id, name, value, by, atMs);
  }
}

/** Takes a label off components; whatever its value where none is given. */
export function takeLabel(db: Db, ids: readonly number[], name: LabelName, value: string, atMs: number): void {
  const end = prepared(
    db,
    "UPDATE label SET valid_to = ? WHERE component_id = ? AND name = ? AND (? = '' OR value = ?) AND valid_to IS NULL",
  );
  for (const id of ids) end.run(atMs, id, name, value, value);
}

/**
 * Labels that an observer says a component has: what it said before and does not say now goes, what anybody else put on
 * stays.
 */
export function putListed(db: Db, id: number, labels: readonly Label[], by: string, atMs: number): void {
  const present = labelsAt(db, id, atMs);
  for (const one of present)
    if (one.by_whom === by && !labels.some(({ name, value }) => name === one.name && value === one.value))
      takeLabel(db, [id], one.name, one.value, atMs);
  for (const { name, value } of labels) {
    const others = present.some((one) => one.name === name && one.by_whom !== by);
    if (name === "tag" || !others) putLabel(db, [id], name, value, by, atMs);
  }
}

/** Labels go on being who put them on, whatever it is called now. */
export function renameObserver(db: Db, before: string, after: string): void {
  if (before !== after) prepared(db, "UPDATE label SET by_whom = ? WHERE by_whom = ?").run(after, before);
}

/** Every label that is in use now, but notes, with how many components have it. */
export const labelChoices = (db: Db): { name: LabelName; value: string; count: number }[] =>
  prepared<{ name: LabelName; value: string; count: number }>(
    db,
    `SELECT name, value, count(*) AS count FROM label WHERE valid_to IS NULL AND name <> 'note'
     GROUP BY name, value ORDER BY name, value LIMIT 500`,
  ).all();

export interface CollectionRow {
  id: number;
  name: string;
  /** Query of the estate's address: "kind=db.*&label=tier:data". */
  filter: string;
  madeBy: string;
}

export const collections = (db: Db): CollectionRow[] =>
  prepared<CollectionRow>(db, "SELECT id, name, filter, made_by AS madeBy FROM collection ORDER BY name").all();

export function saveCollection(db: Db, name: string, filter: string, by: string, atMs: number): void {
  prepared(
    db,
    `INSERT INTO collection (name, filter, made_by, made_at) VALUES (?, ?, ?, ?)
     ON CONFLICT (name) DO UPDATE SET filter = excluded.filter, made_by = excluded.made_by, made_at = excluded.made_at`,
  ).run(name, filter, by, atMs);
}

export function removeCollection(db: Db, id: number): string | undefined {
  const known = collections(db).find((one) => one.id === id);
  if (known) prepared(db, "DELETE FROM collection WHERE id = ?").run(id);
  return known?.name;
}
