import type { Effect, Label, LabelName } from "#core/estate/labels";
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
  effects: Effect[];
}

/** Labels of all components at an instant, notes left out. */
export const labelsOfAll = (db: Db, atMs: number): { component_id: number; name: LabelName; value: string }[] =>
  prepared<{ component_id: number; name: LabelName; value: string }>(
    db,
    `SELECT DISTINCT component_id, name, value FROM label
     WHERE name <> 'note' AND valid_from <= ? AND (valid_to IS NULL OR valid_to > ?) ORDER BY component_id, name, value`,
  ).all(atMs, atMs);

export const collections = (db: Db): CollectionRow[] =>
  prepared<Omit<CollectionRow, "effects"> & { effects: string }>(
    db,
    "SELECT id, name, filter, made_by AS madeBy, effects FROM collection ORDER BY name",
  )
    .all()
    .map((row) => ({ ...row, effects: JSON.parse(row.effects) as Effect[] }));

export function setEffects(db: Db, id: number, effects: readonly Effect[]): void {
  prepared(db, "UPDATE collection SET effects = ? WHERE id = ?").run(JSON.stringify(effects), id);
}

/** Components that have a label by somebody. */
export const labelledBy = (db: Db, { name, value }: Label, by: string): number[] =>
  prepared<{ id: number }>(
    db,
    "SELECT component_id AS id FROM label WHERE name = ? AND value = ? AND by_whom = ? AND valid_to IS NULL",
  )
    .all(name, value, by)
    .map((row) => row.id);

/** Everybody who put a label on that is there. */
export const labellers = (db: Db): string[] =>
  prepared<{ by: string }>(db, "SELECT DISTINCT by_whom AS by FROM label WHERE valid_to IS NULL")
    .all()
    .map((row) => row.by);

/** Every label that is there by somebody, once. */
export const labelsBy = (db: Db, by: string): Label[] =>
  prepared<Label>(db, "SELECT DISTINCT name, value FROM label WHERE by_whom = ? AND valid_to IS NULL").all(by);

/** Components that have a label of a sort. */
export const labelled = (db: Db, name: LabelName): Set<number> =>
  new Set(
    prepared<{ id: number }>(db, "SELECT DISTINCT component_id AS id FROM label WHERE name = ? AND valid_to IS NULL")
      .all(name)
      .map((row) => row.id),
  );

/** What is kept from being watched, with the collection that does so. */
export const unwatched = (db: Db): Map<number, string> =>
  new Map(
    prepared<{ id: number; by: string }>(db, "SELECT component_id AS id, by_whom AS by FROM unwatched")
      .all()
      .map((row) => [row.id, row.by]),
  );

export function setUnwatched(db: Db, id: number, by: string | null, atMs: number): void {
  if (by === null) prepared(db, "DELETE FROM unwatched WHERE component_id = ?").run(id);
  else
    prepared(
      db,
      `INSERT INTO unwatched (component_id, by_whom, since) VALUES (?, ?, ?)
       ON CONFLICT DO UPDATE SET by_whom = excluded.by_whom`,
    ).run(id, by, atMs);
}

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

/** The filter of a collection, from the query that it is kept as. */
export function filterOfCollection(filter: string) {
  const params = new URLSearchParams(filter);
  const of = (name: string) => params.get(name) ?? "";
  return {
    search: of("q"),
    kind: of("kind"),
    site: of("site"),
    label: of("label"),
    fact: of("fact"),
    health: of("health"),
  };
}
