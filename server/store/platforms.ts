import { CARRIERS, PLACES, TOPS } from "#core/platforms/columns";
import { prepared, type Db } from "./database";

export interface PlatformRow {
  source_id: number;
  /** Id of the account that its things belong to. */
  account: string;
  component_id: number | null;
  /** Of the last look that was read to its end, and of the last one at all. */
  read_at: number | null;
  tried_at: number;
  took_ms: number;
  /** Things that it told of. */
  things: number;
  problem: string | null;
}

export const platformOf = (db: Db, sourceId: number): PlatformRow | undefined =>
  prepared<PlatformRow>(db, "SELECT * FROM platform WHERE source_id = ?").get(sourceId);

export const listPlatforms = (db: Db): PlatformRow[] => prepared<PlatformRow>(db, "SELECT * FROM platform").all();

/** Notes a look that came to its end. */
export function notePlatform(
  db: Db,
  sourceId: number,
  look: { account: string; componentId: number | null; tookMs: number; things: number },
  atMs: number,
): void {
  prepared(
    db,
    `INSERT INTO platform (source_id, account, component_id, read_at, tried_at, took_ms, things) VALUES (?, ?, ?, ?, ?, ?, ?)
     ON CONFLICT DO UPDATE SET account = excluded.account, component_id = excluded.component_id, read_at = excluded.read_at,
       tried_at = excluded.tried_at, took_ms = excluded.took_ms, things = excluded.things, problem = NULL`,
  ).run(sourceId, look.account, look.componentId, atMs, atMs, Math.round(look.tookMs), look.things);
}

/** Notes a look that could not be read at all. */
export function notePlatformProblem(db: Db, sourceId: number, problem: string, atMs: number): void {
  prepared(
    db,
    `INSERT INTO platform (source_id, account, tried_at, problem) VALUES (?, '', ?, ?)
     ON CONFLICT DO UPDATE SET tried_at = excluded.tried_at, problem = excluded.problem`,
  ).run(sourceId, atMs, problem.slice(0, 600));
}

export interface PlatformFailureRow {
  source_id: number;
  place: string;
  /** Id of the region there; empty for what is in none. */
  region: string;
  reason: string;
  since: number;
}

export const platformFailures = (db: Db): PlatformFailureRow[] =>
  prepared<PlatformFailureRow>(db, "SELECT * FROM platform_failure ORDER BY source_id, place").all();

/** Sets what failed in the last look; what failed before keeps the instant since when it does. */
export function setPlatformFailures(
  db: Db,
  sourceId: number,
  failures: ReadonlyMap<string, { reason: string; region: string }>,
  atMs: number,
): void {
  prepared(
    db,
    "DELETE FROM platform_failure WHERE source_id = ? AND place NOT IN (SELECT value FROM json_each(?))",
  ).run(sourceId, JSON.stringify([...failures.keys()]));
  const put = prepared(
    db,
    `INSERT INTO platform_failure (source_id, place, region, reason, since) VALUES (?, ?, ?, ?, ?)
     ON CONFLICT DO UPDATE SET reason = excluded.reason`,
  );
  for (const [place, { reason, region }] of failures) put.run(sourceId, place, region, reason.slice(0, 600), atMs);
}

/** Present components with a key that begins so. */
export const componentsOfPrefix = (db: Db, prefix: string): { id: number; key: string }[] =>
  prepared<{ id: number; key: string }>(
    db,
    `SELECT c.id, k.key FROM component_key k JOIN component c ON c.id = k.component_id
     WHERE k.key >= ? AND k.key < ? AND c.valid_to IS NULL`,
  ).all(prefix, `${prefix}\u{10ffff}`);

/** A thing of a platform, as lists show it. */
export interface PlatformThingRow {
  id: number;
  name: string;
  kind: string;
  /** Region that it is in; null for what is in none. */
  region: string | null;
  regionId: number | null;
}

const BELONGS =
  "r.type IN ('hosted-by', 'part-of') AND r.valid_from <= @at AND (r.valid_to IS NULL OR r.valid_to > @at)";

const quoted = (kinds: readonly string[]) => kinds.map((one) => `'${one}'`).join(", ");

/** Places and carriers within an owner, and all that belongs to one of them. */
const WITHIN = `WITH RECURSIVE owner (id, place) AS (
       SELECT c.id, CASE WHEN c.kind IN (${quoted(PLACES)}) THEN c.id END FROM component c WHERE c.id = @owner
       UNION
       SELECT c.id, CASE WHEN c.kind IN (${quoted(PLACES)}) THEN c.id ELSE o.place END FROM owner o
       JOIN relation r ON r.to_id = o.id AND ${BELONGS} JOIN component c ON c.id = r.from_id AND c.kind IN (${quoted(CARRIERS)}))`;
const THINGS = `FROM owner o JOIN relation r ON r.to_id = o.id AND ${BELONGS} JOIN component c ON c.id = r.from_id`;

/** What is in a place of a platform, or in any place of one that has several, at an instant; in no order. */
export function thingsOf(db: Db, ownerId: number, atMs: number): PlatformThingRow[] {
  const rows = prepared<[id: number, name: string, kind: string, place: number | null]>(
    db,
    `${WITHIN} SELECT c.id, c.name, c.kind, o.place ${THINGS} WHERE c.kind NOT IN (${quoted(PLACES)})`,
  )
    .raw()
    .all({ owner: ownerId, at: atMs });
  const places = new Map(platformPlaces(db, atMs).map((one) => [one.id, one.name]));
  // What belongs to several places stands once.
  const things = new Map<number, PlatformThingRow>();
  for (const [id, name, kind, place] of rows)
    if (!things.has(id))
      things.set(id, { id, name, kind, region: place === null ? null : (places.get(place) ?? null), regionId: place });
  return [...things.values()];
}

/** How many things of each kind are there. */
export const countThings = (db: Db, ownerId: number, atMs: number): { kind: string; count: number }[] =>
  prepared<{ kind: string; count: number }>(
    db,
    `${WITHIN} SELECT c.kind, count(DISTINCT c.id) AS count ${THINGS} WHERE c.kind NOT IN (${quoted(PLACES)}) GROUP BY c.kind`,
  ).all({ owner: ownerId, at: atMs });

/** Accounts, clusters and what they are divided into at an instant, with the top that each is of. */
export const platformPlaces = (
  db: Db,
  atMs: number,
): { id: number; name: string; kind: string; topId: number; sourceId: number | null }[] =>
  prepared<{ id: number; name: string; kind: string; topId: number; sourceId: number | null }>(
    db,
    `SELECT c.id, c.name, c.kind, coalesce(r.to_id, c.id) AS topId, c.source_id AS sourceId FROM component c
     LEFT JOIN relation r ON r.from_id = c.id AND c.kind IN (${quoted(PLACES)}) AND ${BELONGS}
     WHERE c.kind IN (${quoted([...TOPS, ...PLACES])}) AND c.valid_from <= @at AND (c.valid_to IS NULL OR c.valid_to > @at)
     ORDER BY (SELECT lower(a.name) FROM component a WHERE a.id = coalesce(r.to_id, c.id)), topId, c.kind IN (${quoted(PLACES)}), lower(c.name)`,
  ).all({ at: atMs });

export interface MappingRow {
  name: string;
  text: string;
  changed_at: number;
  changed_by: string;
}

export const listMappings = (db: Db): MappingRow[] =>
  prepared<MappingRow>(db, "SELECT * FROM mapping ORDER BY name").all();

export const mappingNamed = (db: Db, name: string): MappingRow | undefined =>
  prepared<MappingRow>(db, "SELECT * FROM mapping WHERE name = ?").get(name);

export function saveMapping(db: Db, row: MappingRow): void {
  prepared(db, "INSERT OR REPLACE INTO mapping (name, text, changed_at, changed_by) VALUES (?, ?, ?, ?)").run(
    row.name,
    row.text,
    row.changed_at,
    row.changed_by,
  );
}

/** Who wrote the mappings that ship with the project. */
export const SHIPPED = "Holotaxis";

/** Puts in the mappings that ship with the project; those that people changed stay as they are. */
export function offerMappings(db: Db, shipped: ReadonlyMap<string, string>, atMs: number): void {
  for (const [name, text] of shipped) {
    const known = mappingNamed(db, name);
    if (known?.text === text || (known && known.changed_by !== SHIPPED)) continue;
    saveMapping(db, { name, text, changed_at: atMs, changed_by: SHIPPED });
  }
}

export const removeMapping = (db: Db, name: string): boolean =>
  prepared(db, "DELETE FROM mapping WHERE name = ?").run(name).changes > 0;
