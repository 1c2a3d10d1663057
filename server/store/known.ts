import { EstateBook, type Joined, type KnownComponent, type KnownEstate, type KnownRelation } from "#core/estate/known";
import type { Depth } from "#core/estate/observation";
import type { RelationType } from "#core/catalogue/kinds";
import { prepared, type Db } from "./database";
import type { ComponentRow } from "./estate";

const RELATION = `SELECT id, type, from_id AS fromId, to_id AS toId, detail, seen_by AS seenBy, missed,
  intermittent = 1 AS intermittent, last_seen_at AS lastSeenAt FROM relation`;

interface FactRow {
  name: string;
  value: string;
  toldBy: string;
}

interface KeyRow {
  key: string;
  pinnedAt: number | null;
}

const known = (
  row: ComponentRow,
  keys: readonly KeyRow[],
  facts: readonly FactRow[],
  joined: readonly Joined[],
): KnownComponent => ({
  id: row.id,
  kind: row.kind,
  confidence: row.kind_confidence,
  name: row.name,
  site: row.site,
  sourceId: row.source_id,
  hostId: row.host_id,
  address: row.address,
  process: row.process,
  container: row.container,
  depth: row.depth as Depth,
  readBy: row.read_by,
  missed: row.missed,
  retired: row.valid_to !== null,
  validFrom: row.valid_from,
  keys: keys.map((one) => one.key),
  pinned: new Map(keys.flatMap(({ key, pinnedAt }) => (pinnedAt === null ? [] : [[key, pinnedAt] as const]))),
  facts: Object.fromEntries(facts.map((one) => [one.name, one.value])),
  tellers: Object.fromEntries(facts.flatMap((one) => (one.toldBy ? [[one.name, one.toldBy]] : []))),
  joined,
});

interface JoinRow {
  component_id: number;
  into_id: number;
  keys: string;
}
const JOINS = "SELECT component_id, into_id, keys FROM component_join WHERE split_at IS NULL";
const joinOf = (row: JoinRow): Joined => ({ id: row.component_id, keys: JSON.parse(row.keys) as string[] });

/**
 * Containers that only a platform tells of: there are tens of thousands of them, and whoever looks at hosts has nothing
 * to do with nearly all.
 */
const IS_CROWD = "c.read_by = 'platform' AND c.host_id IS NOT NULL AND c.process IS NULL AND c.address IS NULL";

/**
 * Everything that is or was in the estate, and the present relations. Containers that only a platform tells of are asked
 * for one by one where somebody names them, and stand in no list.
 */
export function readEstate(db: Db): EstateBook {
  const collect = <Row, Value>(rows: readonly Row[], owner: (row: Row) => number, value: (row: Row) => Value) => {
    const lists = new Map<number, Value[]>();
    for (const row of rows) {
      const list = lists.get(owner(row));
      if (list) list.push(value(row));
      else lists.set(owner(row), [value(row)]);
    }
    return lists;
  };
  // CROSS JOIN: by components, so that what the crowd has is not even read.
  const keys = collect(
    prepared<KeyRow & { component_id: number }>(
      db,
      `SELECT k.key, k.component_id, k.pinned_at AS pinnedAt FROM component c
       CROSS JOIN component_key k ON k.component_id = c.id WHERE NOT (${IS_CROWD})`,
    ).all(),
    (row) => row.component_id,
    (row): KeyRow => row,
  );
  const facts = collect(
    prepared<FactRow & { component_id: number }>(
      db,
      `SELECT f.component_id, f.name, f.value, f.told_by AS toldBy FROM component c
       CROSS JOIN fact f ON f.component_id = c.id WHERE f.valid_to IS NULL AND NOT (${IS_CROWD})`,
    ).all(),
    (row) => row.component_id,
    (row): FactRow => row,
  );
  const joins = collect(prepared<JoinRow>(db, JOINS).all(), (row) => row.into_id, joinOf);
  const components = prepared<ComponentRow>(db, `SELECT * FROM component c WHERE NOT (${IS_CROWD})`)
    .all()
    .map((row) => known(row, keys.get(row.id) ?? [], facts.get(row.id) ?? [], joins.get(row.id) ?? []));
  const relations = prepared<KnownRelation>(
    db,
    `${RELATION} WHERE valid_to IS NULL AND from_id NOT IN (SELECT c.id FROM component c WHERE ${IS_CROWD})`,
  ).all();
  return prepared(db, `SELECT 1 FROM component c WHERE ${IS_CROWD} LIMIT 1`).get() === undefined
    ? new EstateBook(components, relations)
    : new EstateWithCrowd(db, components, relations);
}

/**
 * The estate asked piece by piece, for looks at a few things only. A component stays as it was when it was first asked for:
 * what a plan is made of does not change while it is carried out.
 */
export class StoredEstate implements KnownEstate {
  private readonly asked = new Map<number, KnownComponent | undefined>();

  constructor(private readonly db: Db) {}

  component(id: number): KnownComponent | undefined {
    if (!this.asked.has(id)) this.asked.set(id, this.read(id));
    return this.asked.get(id);
  }

  private read(id: number): KnownComponent | undefined {
    const row = prepared<ComponentRow>(this.db, "SELECT * FROM component WHERE id = ?").get(id);
    if (!row) return undefined;
    const keys = prepared<KeyRow>(
      this.db,
      "SELECT key, pinned_at AS pinnedAt FROM component_key WHERE component_id = ?",
    ).all(id);
    const facts = prepared<FactRow>(
      this.db,
      "SELECT name, value, told_by AS toldBy FROM fact WHERE component_id = ? AND valid_to IS NULL",
    ).all(id);
    const joins = prepared<JoinRow>(this.db, `${JOINS} AND into_id = ?`).all(id);
    return known(row, keys, facts, joins.map(joinOf));
  }

  ofKey(key: string): number | undefined {
    return prepared<{ id: number }>(this.db, "SELECT component_id AS id FROM component_key WHERE key = ?").get(key)?.id;
  }

  nameTaken(name: string): boolean {
    return (
      prepared(this.db, "SELECT 1 FROM component WHERE lower(name) = ? AND valid_to IS NULL LIMIT 1").get(
        name.toLowerCase(),
      ) !== undefined
    );
  }

  relation(type: RelationType, fromId: number, toId: number, detail: string): KnownRelation | undefined {
    return prepared<KnownRelation>(
      this.db,
      `${RELATION} WHERE type = ? AND from_id = ? AND to_id = ? AND detail = ? AND valid_to IS NULL`,
    ).get(type, fromId, toId, detail);
  }

  relationsFrom(id: number, type: RelationType): KnownRelation[] {
    return prepared<KnownRelation>(this.db, `${RELATION} WHERE from_id = ? AND type = ? AND valid_to IS NULL`).all(
      id,
      type,
    );
  }

  partsOf(hostId: number): number[] {
    return prepared<{ id: number }>(this.db, "SELECT id FROM component WHERE host_id = ? AND valid_to IS NULL")
      .all(hostId)
      .map((one) => one.id);
  }
}

/** The estate in memory, but for the crowd, which is asked for piece by piece. */
class EstateWithCrowd extends EstateBook {
  private readonly crowd: StoredEstate;

  constructor(db: Db, components: readonly KnownComponent[], relations: readonly KnownRelation[]) {
    super(components, relations);
    this.crowd = new StoredEstate(db);
  }

  override component(id: number): KnownComponent | undefined {
    return super.component(id) ?? this.crowd.component(id);
  }
  override ofKey(key: string): number | undefined {
    return super.ofKey(key) ?? this.crowd.ofKey(key);
  }
  override nameTaken(name: string): boolean {
    return super.nameTaken(name) || this.crowd.nameTaken(name);
  }
  override relation(type: RelationType, fromId: number, toId: number, detail: string): KnownRelation | undefined {
    return super.relation(type, fromId, toId, detail) ?? this.crowd.relation(type, fromId, toId, detail);
  }
  override relationsFrom(id: number, type: RelationType): KnownRelation[] {
    return super.component(id) ? super.relationsFrom(id, type) : this.crowd.relationsFrom(id, type);
  }
  override partsOf(hostId: number): number[] {
    return this.crowd.partsOf(hostId);
  }
}

export function writeJoin(
  db: Db,
  id: number,
  into: number,
  keys: readonly string[],
  reason: string,
  atMs: number,
): void {
  prepared(
    db,
    "INSERT OR REPLACE INTO component_join (component_id, into_id, keys, reason, at) VALUES (?, ?, ?, ?, ?)",
  ).run(id, into, JSON.stringify(keys), reason, atMs);
}

export function endJoin(db: Db, id: number, into: number, atMs: number): void {
  prepared(
    db,
    "UPDATE component_join SET split_at = ? WHERE component_id = ? AND into_id = ? AND split_at IS NULL",
  ).run(atMs, id, into);
}

/** Processes of a host by their program, and up to two containers there that say by a fact that they run it. */
export function runningOn(
  db: Db,
  hostId: number,
  program: string,
  fact: string,
): { processes: number[]; containers: number[] } {
  const idsOf = (rows: { id: number }[]) => rows.map((row) => row.id);
  const processes = idsOf(
    prepared<{ id: number }>(
      db,
      "SELECT id FROM component WHERE host_id = ? AND valid_to IS NULL AND lower(process) = ?",
    ).all(hostId, program),
  );
  // Where nothing runs under that name, nobody has to be told apart.
  if (processes.length === 0) return { processes, containers: [] };
  const containers = prepared<{ id: number }>(
    db,
    `SELECT c.id FROM component c WHERE c.host_id = ? AND c.valid_to IS NULL AND c.container IS NOT NULL
     AND EXISTS (SELECT 1 FROM fact f WHERE f.component_id = c.id AND f.name = ? AND f.valid_to IS NULL AND lower(f.value) = ?)
     LIMIT 2`,
  ).all(hostId, fact, program);
  return { processes, containers: idsOf(containers) };
}
