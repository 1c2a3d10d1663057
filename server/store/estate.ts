import type { Depth } from "#core/estate/observation";
import type { SystemSighting } from "#core/estate/sighting";
import { prepared, type Db } from "./database";
import { writeFact } from "./facts";
import { VALID_AT } from "./valid";

export interface ComponentRow {
  id: number;
  kind: string;
  name: string;
  site: string;
  source_id: number | null;
  host_id: number | null;
  address: string | null;
  process: string | null;
  port: number | null;
  container: string | null;
  /** Name without the host's. */
  label: string | null;
  depth: number;
  read_by: string;
  kind_confidence: number;
  reason: string;
  missed: number;
  last_seen_at: number;
  valid_from: number;
  valid_to: number | null;
}

export interface NewComponent {
  kind: string;
  name: string;
  site: string;
  sourceId: number | null;
  hostId: number | null;
  address: string | null;
  process?: string | undefined;
  port?: number | undefined;
  container?: string | undefined;
  label?: string | undefined;
  depth?: Depth;
  readBy?: string;
  confidence?: number;
  reason: string;
  keys: string[];
  facts: Record<string, string>;
  /** Who tells of it. */
  by?: string;
}

// --- writing ---------------------------------------------------------------------------------------------------------

export function insertComponent(db: Db, component: NewComponent, atMs: number): number {
  const { lastInsertRowid } = prepared(
    db,
    `INSERT INTO component (kind, name, site, source_id, host_id, address, process, port, container, label, depth, read_by, kind_confidence, reason, last_seen_at, valid_from)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
  ).run(
    component.kind,
    component.name,
    component.site,
    component.sourceId,
    component.hostId,
    component.address,
    component.process ?? null,
    component.port ?? null,
    component.container ?? null,
    component.label ?? null,
    component.depth ?? 0,
    component.readBy ?? "",
    component.confidence ?? 0.4,
    component.reason,
    atMs,
    atMs,
  );
  const id = Number(lastInsertRowid);
  addKeys(db, id, component.keys);
  for (const [name, value] of Object.entries(component.facts)) writeFact(db, id, name, value, atMs, component.by);
  return id;
}

export function addKeys(db: Db, id: number, keys: readonly string[]): void {
  const insert = prepared(
    db,
    `INSERT INTO component_key (key, component_id) VALUES (?, ?) ON CONFLICT (key) DO UPDATE
     SET component_id = excluded.component_id`,
  );
  for (const key of keys) insert.run(key, id);
}

/** Notes a component as in the estate; null leaves a column as it is. */
/** Gives a component another name; everything else stays. */
export function renameComponent(db: Db, id: number, name: string): void {
  prepared(db, "UPDATE component SET name = ? WHERE id = ?").run(name, id);
}

export function markSeen(
  db: Db,
  id: number,
  seen: {
    kind: string;
    confidence: number;
    name: string;
    /** Why it is of its kind; null leaves what stands. */
    reason: string | null;
    address: string | null;
    process: string | null;
    port: number | null;
    label: string | null;
    depth: number;
    readBy: string;
    /** Source that takes it up, and the site that it knows better. */
    sourceId: number | null;
    site: string | null;
  },
  atMs: number,
): void {
  prepared(
    db,
    `UPDATE component SET last_seen_at = ?, missed = 0, valid_to = NULL, kind = ?, kind_confidence = ?, name = ?, reason = coalesce(?, reason), address = coalesce(?, address), process = coalesce(?, process),
       port = coalesce(?, port), label = coalesce(?, label), depth = ?, read_by = ?, source_id = coalesce(?, source_id), site = coalesce(?, site) WHERE id = ?`,
  ).run(
    atMs,
    seen.kind,
    seen.confidence,
    seen.name,
    seen.reason,
    seen.address,
    seen.process,
    seen.port,
    seen.label,
    seen.depth,
    seen.readBy,
    seen.sourceId,
    seen.site,
    id,
  );
}

/** Takes a component that had left into the estate again. */
export function restoreComponent(db: Db, id: number): void {
  prepared(db, "UPDATE component SET valid_to = NULL, missed = 0 WHERE id = ?").run(id);
}

export function touchSeen(db: Db, id: number, atMs: number): void {
  prepared(db, "UPDATE component SET last_seen_at = ? WHERE id = ?").run(atMs, id);
}

/** Counts one more sweep that did not see it and returns how many that makes in a row. */
export function markMissed(db: Db, id: number): number {
  return (
    prepared<{ missed: number }>(db, "UPDATE component SET missed = missed + 1 WHERE id = ? RETURNING missed").get(id)
      ?.missed ?? 0
  );
}

export function retireComponent(db: Db, id: number, atMs: number): void {
  prepared(db, "UPDATE component SET valid_to = ? WHERE id = ? AND valid_to IS NULL").run(atMs, id);
  prepared(db, "UPDATE relation SET valid_to = ? WHERE (from_id = ? OR to_id = ?) AND valid_to IS NULL").run(
    atMs,
    id,
    id,
  );
  prepared(db, "UPDATE member SET valid_to = ? WHERE component_id = ? AND valid_to IS NULL").run(atMs, id);
}

export function writeInventory(db: Db, id: number, data: SystemSighting, atMs: number): void {
  const text = JSON.stringify(data);
  const now = prepared<{ data: string }>(
    db,
    "SELECT data FROM inventory WHERE component_id = ? AND valid_to IS NULL",
  ).get(id);
  if (now?.data === text) return;
  prepared(db, "UPDATE inventory SET valid_to = ? WHERE component_id = ? AND valid_to IS NULL").run(atMs, id);
  prepared(db, "INSERT OR REPLACE INTO inventory (component_id, valid_from, data) VALUES (?, ?, ?)").run(
    id,
    atMs,
    text,
  );
}

export function currentComponents(db: Db): ComponentRow[] {
  return prepared<ComponentRow>(db, "SELECT * FROM component WHERE valid_to IS NULL").all();
}

/** What was found to listen by TLS and is known still, with where. */
export const listeningByTls = (db: Db): { id: number; address: string; ports: number[] }[] =>
  prepared<{ id: number; address: string; ports: string | null }>(
    db,
    `SELECT c.id, coalesce(c.address, h.address) AS address, coalesce(p.value, c.port) AS ports FROM fact f
     JOIN component c ON c.id = f.component_id AND c.valid_to IS NULL LEFT JOIN component h ON h.id = c.host_id
     LEFT JOIN fact p ON p.component_id = c.id AND p.name = 'TLS ports' AND p.valid_to IS NULL
     WHERE f.name = 'certificate expires' AND f.valid_to IS NULL AND coalesce(c.address, h.address) IS NOT NULL
     ORDER BY c.id`,
  )
    .all()
    .map(({ ports, ...one }) => ({
      ...one,
      ports: String(ports ?? "")
        .split(", ")
        .filter(Boolean)
        .map(Number),
    }));

export function componentsAt(db: Db, atMs: number): ComponentRow[] {
  return prepared<ComponentRow>(db, `SELECT * FROM component WHERE ${VALID_AT}`).all(atMs, atMs);
}

/** Some components, by their numbers; those that were forgotten meanwhile are left out. */
export function componentsById(db: Db, ids: Iterable<number>): ComponentRow[] {
  return prepared<ComponentRow>(
    db,
    "SELECT * FROM component WHERE id IN (SELECT value FROM json_each(?)) ORDER BY id",
  ).all(JSON.stringify([...ids]));
}

/** Sites of what is in the estate now. */
export const sitesKnown = (db: Db): string[] =>
  prepared<{ site: string }>(
    db,
    "SELECT DISTINCT site FROM component WHERE site <> '' AND valid_to IS NULL ORDER BY site",
  )
    .all()
    .map((row) => row.site);

/** Components by the rest of a key that begins so, those that left the estate too. */
export function componentsOfKeys(db: Db, prefix: string): Map<string, number> {
  const rows = prepared<{ key: string; id: number }>(
    db,
    "SELECT key, component_id AS id FROM component_key WHERE key >= ? AND key < ?",
  ).all(prefix, `${prefix}\u{10ffff}`);
  return new Map(rows.map((row) => [row.key.slice(prefix.length), row.id]));
}

/**
 * Everything that is or was in the estate, what left it first, so that in a map by name the present has the last word.
 */
export function everKnown(db: Db): Pick<ComponentRow, "id" | "name" | "address" | "host_id">[] {
  return prepared<Pick<ComponentRow, "id" | "name" | "address" | "host_id">>(
    db,
    "SELECT id, name, address, host_id FROM component ORDER BY valid_to IS NULL, valid_to, id",
  ).all();
}

export function componentById(db: Db, id: number): ComponentRow | undefined {
  return prepared<ComponentRow>(db, "SELECT * FROM component WHERE id = ?").get(id);
}

/**
 * What stands at a place that a caller names: what listens on the port of the host with that address or name, or runs
 * there by that name, else the host; without an address, what goes by the name alone, where one thing does.
 */
export function componentsAtPlaces(
  db: Db,
  address: string | undefined,
  port: number | undefined,
  name: string | undefined,
): ComponentRow[] {
  const present = prepared<ComponentRow>(
    db,
    "SELECT * FROM component WHERE valid_to IS NULL AND (address = :address OR name = :address) AND host_id IS NULL",
  );
  if (address === undefined) {
    if (name === undefined) return [];
    const named = prepared<ComponentRow>(
      db,
      "SELECT * FROM component WHERE valid_to IS NULL AND (name = :name OR process = :name OR label = :name) LIMIT 2",
    ).all({ name });
    return named.length === 1 ? named : [];
  }
  const [host] = present.all({ address });
  if (!host) return [];
  const parts = prepared<ComponentRow>(db, "SELECT * FROM component WHERE valid_to IS NULL AND host_id = ?").all(
    host.id,
  );
  const part =
    (port === undefined ? undefined : parts.find((one) => one.port === port)) ??
    (name === undefined
      ? undefined
      : (parts.find((one) => one.process === name) ?? parts.find((one) => one.label === name)));
  return [part ?? host];
}

export function partsOfHost(db: Db, hostId: number, atMs: number): ComponentRow[] {
  return prepared<ComponentRow>(db, `SELECT * FROM component WHERE host_id = ? AND ${VALID_AT} ORDER BY name`).all(
    hostId,
    atMs,
    atMs,
  );
}

/** A present part of a host by the name of what it runs. */
export const partNamed = (db: Db, hostId: number, process: string): number | undefined =>
  prepared<{ id: number }>(
    db,
    "SELECT id FROM component WHERE host_id = ? AND process = ? AND valid_to IS NULL LIMIT 1",
  ).get(hostId, process)?.id;

/** A present part of a host by where it listens, "5432" or "127.0.0.1:5432". */
export const partListening = (db: Db, hostId: number, listener: string): number | undefined =>
  prepared<{ id: number }>(
    db,
    `SELECT part.id FROM component_key host JOIN component_key own ON own.key = 'listen:' || host.key || ':' || ?
     JOIN component part ON part.id = own.component_id
     WHERE host.component_id = ? AND part.host_id = host.component_id AND part.valid_to IS NULL LIMIT 1`,
  ).get(listener, hostId)?.id;

/** Hosts that left the estate after an instant, the last first; those that turned out to be another are not among them. */
export const retiredHosts = (db: Db, afterMs: number): ComponentRow[] =>
  prepared<ComponentRow>(
    db,
    `SELECT * FROM component c WHERE host_id IS NULL AND valid_to > ?
     AND NOT EXISTS (SELECT 1 FROM component_join j WHERE j.component_id = c.id AND j.split_at IS NULL)
     ORDER BY valid_to DESC LIMIT 500`,
  ).all(afterMs);

export function inventoryAt(db: Db, id: number, atMs: number): SystemSighting | undefined {
  const row = prepared<{ data: string }>(db, `SELECT data FROM inventory WHERE component_id = ? AND ${VALID_AT}`).get(
    id,
    atMs,
    atMs,
  );
  return row && (JSON.parse(row.data) as SystemSighting);
}

/** Since when each host shows the tables that it shows now. */
export const inventoriesSince = (db: Db): Map<number, number> =>
  new Map(
    prepared<{ id: number; since: number }>(
      db,
      "SELECT component_id AS id, valid_from AS since FROM inventory WHERE valid_to IS NULL",
    )
      .all()
      .map((row) => [row.id, row.since]),
  );

/** Addresses of a host by what it shows now, without reading more of that than needed. */
export function shownAddresses(db: Db, id: number): string[] {
  const text = prepared<{ text: string | null }>(
    db,
    "SELECT json_extract(data, '$.addresses') AS text FROM inventory WHERE component_id = ? AND valid_to IS NULL",
  ).get(id)?.text;
  return text ? (JSON.parse(text) as string[]) : [];
}

/** Hosts of which an agent tells, with what it says of itself and how many containers are on them. */
export function hostsWithAgent(
  db: Db,
): { id: number; name: string; agent: string; alone: boolean; containers: number }[] {
  return prepared<{ id: number; name: string; agent: string; alone: number; containers: number }>(
    db,
    `SELECT c.id, c.name, f.value AS agent, c.read_by = 'agent' AS alone,
       (SELECT count(*) FROM component part WHERE part.host_id = c.id AND part.kind = 'app.container' AND part.valid_to IS NULL) AS containers
     FROM fact f JOIN component c ON c.id = f.component_id WHERE f.name = 'agent' AND f.valid_to IS NULL AND c.valid_to IS NULL ORDER BY c.name LIMIT 500`,
  )
    .all()
    .map((row) => ({ ...row, alone: row.alone === 1 }));
}

/** The present component of a name; undefined where there is none, or more than one. */
export function componentNamed(db: Db, name: string): ComponentRow | undefined {
  const rows = prepared<ComponentRow>(db, "SELECT * FROM component WHERE name = ? AND valid_to IS NULL LIMIT 2").all(
    name,
  );
  return rows.length === 1 ? rows[0] : undefined;
}

/** Names of all hosts, small and without their domain. */
export const hostNames = (db: Db): Set<string> =>
  new Set(
    prepared<{ name: string }>(db, "SELECT name FROM component WHERE host_id IS NULL AND kind LIKE 'host.%'")
      .all()
      .map(({ name }) => name.toLowerCase().split(".")[0] as string),
  );
