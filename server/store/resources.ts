import type { Named, NamingRule, ResourceAttributes } from "#core/estate/naming";
import { prepared, type Db } from "./database";

export interface ResourceRow {
  id: number;
  attributes: string;
  component_id: number | null;
  matched_by: string;
  first_at: number;
  last_at: number;
}

/** Attributes as the text they are kept and compared by: sorted JSON. */
export const resourceText = (attributes: ResourceAttributes): string =>
  JSON.stringify(Object.fromEntries(Object.entries(attributes).sort(([a], [b]) => (a < b ? -1 : 1))));

/** Browsers that send for a service, by any of its names. */
export const browserResourcesOf = (db: Db, names: readonly string[]): number[] =>
  prepared<{ id: number }>(
    db,
    `SELECT id FROM resource WHERE attributes ->> '$."telemetry.sdk.language"' = 'webjs'
     AND lower(attributes ->> '$."service.name"') IN (SELECT lower(value) FROM json_each(?))`,
  )
    .all(JSON.stringify(names))
    .map((row) => row.id);

export function allResources(db: Db): ResourceRow[] {
  return prepared<ResourceRow>(
    db,
    "SELECT id, attributes, component_id, matched_by, first_at, last_at FROM resource ORDER BY id",
  ).all();
}

/** The sender that came last. */
export const lastResource = (db: Db): number =>
  prepared<{ id: number | null }>(db, "SELECT max(id) AS id FROM resource").get()?.id ?? 0;

/** Of the senders after one, in their order: those that came before an instant, with the host they say they are on. */
export const hostsOfSenders = (db: Db, after: number, beforeMs: number) =>
  prepared<{ id: number; component_id: number | null; host: string | null }>(
    db,
    `SELECT id, component_id, attributes ->> '$."host.name"' AS host FROM resource
     WHERE id > ? AND first_at < ? ORDER BY id`,
  ).all(after, beforeMs);

const PROGRAM = `r.attributes ->> '$."service.name"' AS program, coalesce(r.attributes ->> '$."service.namespace"', '') AS space`;
interface NamedProgram {
  id: number;
  program: string | null;
  space: string;
}
const programOf = ({ program, space }: NamedProgram) => `${space}/${program}`;

/**
 * Hosts to which senders are named because none of their processes is known yet, each with a process that runs the same
 * program elsewhere.
 */
export function hostsBeside(db: Db): Map<number, number> {
  const hosts = prepared<NamedProgram>(
    db,
    `SELECT c.id, ${PROGRAM} FROM component c JOIN resource r ON r.component_id = c.id
     WHERE c.host_id IS NULL AND c.valid_to IS NULL AND c.kind LIKE 'host.%' AND program IS NOT NULL`,
  ).all();
  if (hosts.length === 0) return new Map();
  const processes = new Map(
    prepared<NamedProgram>(
      db,
      `SELECT c.id, ${PROGRAM} FROM resource r JOIN component c ON c.id = r.component_id
       WHERE c.process IS NOT NULL AND c.valid_to IS NULL AND program IN (SELECT value FROM json_each(?)) ORDER BY r.id`,
    )
      .all(JSON.stringify([...new Set(hosts.map((one) => one.program))]))
      .map((one) => [programOf(one), one.id] as const),
  );
  return new Map(
    hosts.flatMap((host) => {
      const process = processes.get(programOf(host));
      return process === undefined ? [] : [[host.id, process] as const];
    }),
  );
}

/** Whether a sender is there and is named to no component. */
export const isUnmatched = (db: Db, id: number): boolean =>
  prepared(db, "SELECT 1 FROM resource WHERE id = ? AND component_id IS NULL").get(id) !== undefined;

export interface NamedResourceRow extends Pick<ResourceRow, "id" | "attributes" | "component_id"> {
  component: string | null;
  /** Its name without the host it runs on. */
  label: string | null;
  kind: string | null;
  host_id: number | null;
}

/** Every sender with its component, present or not. */
export function namedResources(db: Db, ids?: Iterable<number>): NamedResourceRow[] {
  return prepared<NamedResourceRow>(
    db,
    `SELECT o.id, o.attributes, o.component_id, c.name AS component, coalesce(c.label, c.name) AS label, c.kind,
       c.host_id
     FROM resource o LEFT JOIN component c ON c.id = o.component_id
     ${ids ? "WHERE o.id IN (SELECT value FROM json_each(?))" : ""} ORDER BY o.id`,
  ).all(...(ids ? [JSON.stringify([...ids])] : []));
}

/** Every sender that is named to a component, with that. */
export const componentsOfResources = (db: Db): Map<number, number> =>
  new Map(
    prepared<{ id: number; component_id: number }>(
      db,
      "SELECT id, component_id FROM resource WHERE component_id IS NOT NULL",
    )
      .all()
      .map((row) => [row.id, row.component_id]),
  );

/** The senders named to one component. */
export function resourcesOf(db: Db, componentId: number): number[] {
  return prepared<{ id: number }>(db, "SELECT id FROM resource WHERE component_id = ? ORDER BY id")
    .all(componentId)
    .map((row) => row.id);
}

/** The senders named to some components, each with its component. */
export function resourcesOfAll(db: Db, componentIds: Iterable<number>): Map<number, number> {
  const rows = prepared<{ id: number; component_id: number }>(
    db,
    "SELECT id, component_id FROM resource WHERE component_id IN (SELECT value FROM json_each(?)) ORDER BY id",
  ).all(JSON.stringify([...componentIds]));
  return new Map(rows.map((row) => [row.id, row.component_id]));
}

export function insertResource(db: Db, text: string, named: Named, atMs: number): number {
  return Number(
    prepared(
      db,
      "INSERT INTO resource (attributes, component_id, matched_by, first_at, last_at) VALUES (?, ?, ?, ?, ?)",
    ).run(text, named.componentId, named.why, atMs, atMs).lastInsertRowid,
  );
}

/** Names a resource anew; its series go with it. */
export function renameResource(db: Db, id: number, named: Named): void {
  prepared(db, "UPDATE resource SET component_id = ?, matched_by = ? WHERE id = ?").run(
    named.componentId,
    named.why,
    id,
  );
  prepared(db, "UPDATE series SET component_id = ? WHERE resource_id = ?").run(named.componentId, id);
}

export function touchResource(db: Db, id: number, atMs: number): void {
  prepared(db, "UPDATE resource SET last_at = ? WHERE id = ?").run(atMs, id);
}

export interface NamingRuleRow extends NamingRule {
  id: number;
  component: string;
  madeBy: string;
  madeAt: number;
}

export function matchingRules(db: Db): NamingRuleRow[] {
  return prepared<NamingRuleRow>(
    db,
    `SELECT r.id, r.attribute, r.pattern, r.component_id AS componentId, c.name AS component, r.made_by AS madeBy,
       r.made_at AS madeAt
     FROM naming_rule r JOIN component c ON c.id = r.component_id ORDER BY r.id`,
  ).all();
}

export function saveMatchingRule(db: Db, rule: NamingRule, by: string, atMs: number): void {
  prepared(
    db,
    `INSERT INTO naming_rule (attribute, pattern, component_id, made_by, made_at) VALUES (?, ?, ?, ?, ?)
     ON CONFLICT (attribute, pattern) DO UPDATE
     SET component_id = excluded.component_id, made_by = excluded.made_by, made_at = excluded.made_at`,
  ).run(rule.attribute, rule.pattern, rule.componentId, by, atMs);
}

export function removeMatchingRule(db: Db, id: number): void {
  prepared(db, "DELETE FROM naming_rule WHERE id = ?").run(id);
}

/** How many series each resource has, and how many log records came from it in the last day that has any. */
export function countsOfResources(db: Db): { series: Map<number, number>; records: Map<number, number> } {
  const asMap = (rows: { id: number; n: number }[]) => new Map(rows.map((row) => [row.id, row.n]));
  return {
    series: asMap(
      prepared<{ id: number; n: number }>(
        db,
        "SELECT resource_id AS id, count(*) AS n FROM series WHERE resource_id IS NOT NULL GROUP BY resource_id",
      ).all(),
    ),
    records: asMap(
      prepared<{ id: number; n: number }>(
        db,
        `SELECT resource_id AS id, sum(count) AS n FROM log_tally_half
         WHERE half_at > (SELECT coalesce(max(half_at), 0) FROM log_tally_half) - 86400000 GROUP BY resource_id`,
      ).all(),
    ),
  };
}

/** Removes senders that were last heard before an instant and of whom no series is kept; returns how many. */
export function forgetResources(db: Db, beforeMs: number): number {
  return prepared(
    db,
    "DELETE FROM resource WHERE last_at < ? AND NOT EXISTS (SELECT 1 FROM series s WHERE s.resource_id = resource.id)",
  ).run(beforeMs).changes;
}
