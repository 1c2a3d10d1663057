import type { Severity } from "#core/alarms/severity";
import { prepared, type Db } from "./database";
import { VALID_AT } from "./valid";

export interface EstateRow {
  id: number;
  name: string;
  kind: string;
  site: string;
  address: string | null;
  lastSeenAt: number;
  severity: Severity;
  services: string | null;
  /** "owner: Landside desk, tag: quay", its host's among them. */
  labels: string | null;
  /** Facts that were asked for, by their names. */
  facts: Record<string, string>;
}

export interface EstateQuestion {
  atMs: number;
  search: string;
  kind: string;
  site: string;
  health: string;
  /** "owner:Landside desk"; empty for any. */
  label?: string;
  /** "version:7.0.2"; empty for any. */
  fact?: string;
  /** Names of facts that are wanted with each row. */
  facts?: readonly string[];
  sort: "name" | "kind" | "site" | "address" | "lastSeenAt" | "severity";
  descending: boolean;
  page: number;
  pageSize: number;
}

/** What is unwell at an instant: few of many. */
const SICK = `sick AS MATERIALIZED (SELECT subject_id AS id, severity FROM health
  WHERE subject = 'component' AND severity <> 'cleared' AND valid_from <= ? AND (valid_to IS NULL OR valid_to > ?))`;
const ADDRESS = "coalesce(c.address, (SELECT host.address FROM component host WHERE host.id = c.host_id))";

const SORTED_BY: Readonly<Record<EstateQuestion["sort"], string>> = {
  name: "c.name",
  kind: "c.kind",
  site: "c.site",
  // Dotted addresses sort by their numbers, not as text; openStore registers the function.
  address: `address_number(${ADDRESS})`,
  lastSeenAt: "c.last_seen_at",
  severity:
    "(SELECT CASE severity WHEN 'critical' THEN 5 WHEN 'major' THEN 4 WHEN 'minor' THEN 3 WHEN 'warning' THEN 2 ELSE 1 END FROM sick WHERE sick.id = c.id)",
};

/** What the estate can be grouped by, besides facts ("fact:version"). */
export const GROUPS = ["kind", "site", "owner", "environment", "tier", "tag", "source", "health"] as const;

export interface EstateGroup {
  /** Null for those without. */
  value: string | null;
  count: number;
  unwell: number;
}

const labelOf = (name: string) => {
  const of = (id: string) =>
    `(SELECT l.value FROM label l WHERE l.component_id = ${id} AND l.name = '${name}' AND l.valid_from <= :at AND (l.valid_to IS NULL OR l.valid_to > :at))`;
  return `coalesce(${of("c.id")}, ${of("c.host_id")})`;
};
const GROUPED_BY: Readonly<Record<(typeof GROUPS)[number], string>> = {
  kind: "c.kind",
  site: "c.site",
  owner: labelOf("owner"),
  environment: labelOf("environment"),
  tier: labelOf("tier"),
  tag: "t.value",
  source: "(SELECT s.name FROM source s WHERE s.id = c.source_id)",
  health: "coalesce((SELECT severity FROM sick WHERE sick.id = c.id), 'cleared')",
};
const MOST_GROUPS = 500;

const SERVICES_OF = `SELECT m.component_id AS id, group_concat(s.name, ', ') AS text FROM json_each(?) one
  JOIN member m ON m.component_id = one.value JOIN service s ON s.id = m.service_id
  WHERE m.valid_from <= ? AND (m.valid_to IS NULL OR m.valid_to > ?) GROUP BY m.component_id`;
const LABELS_OF = `SELECT id, group_concat(text, ', ') AS text FROM (
  SELECT DISTINCT c.id, l.name || ': ' || l.value AS text FROM json_each(?) one JOIN component c ON c.id = one.value
  JOIN label l ON l.component_id IN (c.id, c.host_id) AND l.name <> 'note'
  WHERE l.valid_from <= ? AND (l.valid_to IS NULL OR l.valid_to > ?) ORDER BY 1, 2) GROUP BY id`;

/** What fits a question, as the condition of a query of `component c` with `sick` beside it, and what is bound. */
function fitting(question: Omit<EstateQuestion, "sort" | "descending" | "page" | "pageSize">): {
  where: string;
  bound: (string | number)[];
} {
  const { atMs } = question;
  const where = ["c.valid_from <= ?", "(c.valid_to IS NULL OR c.valid_to > ?)"];
  const values: (string | number)[] = [atMs, atMs];
  if (question.search) {
    where.push(`(c.name LIKE ? ESCAPE '\\' OR ${ADDRESS} LIKE ? ESCAPE '\\')`);
    const pattern = `%${question.search.replaceAll(/[\\%_]/g, (sign) => `\\${sign}`)}%`;
    values.push(pattern, pattern);
  }
  if (question.kind) {
    where.push(question.kind.endsWith(".*") ? "c.kind LIKE ?" : "c.kind = ?");
    values.push(question.kind.endsWith(".*") ? `${question.kind.slice(0, -1)}%` : question.kind);
  }
  if (question.site) {
    where.push("c.site = ?");
    values.push(question.site);
  }
  if (question.label) {
    const [name = "", ...value] = question.label.split(":");
    const labelled = `(SELECT component_id FROM label WHERE name = ? AND value = ? AND valid_from <= ?
      AND (valid_to IS NULL OR valid_to > ?))`;
    where.push(`(c.id IN ${labelled} OR c.host_id IN ${labelled})`);
    for (let times = 0; times < 2; times++) values.push(name, value.join(":"), atMs, atMs);
  }
  if (question.fact) {
    const [name = "", ...value] = question.fact.split(":");
    where.push(`c.id IN (SELECT component_id FROM fact WHERE name = ? AND value = ? AND valid_from <= ?
      AND (valid_to IS NULL OR valid_to > ?))`);
    values.push(name, value.join(":"), atMs, atMs);
  }
  if (question.health === "unwell") where.push("c.id IN (SELECT id FROM sick)");
  else if (question.health === "well") where.push("c.id NOT IN (SELECT id FROM sick)");
  return { where: where.join(" AND "), bound: [atMs, atMs, ...values] };
}

/** Ids of everything that fits a filter now. */
export function idsFitting(
  db: Db,
  filter: Pick<EstateQuestion, "search" | "kind" | "site" | "label" | "fact" | "health" | "atMs">,
): number[] {
  const { where, bound } = fitting(filter);
  return prepared<{ id: number }>(db, `WITH ${SICK} SELECT c.id FROM component c WHERE ${where}`)
    .all(...bound)
    .map((row) => row.id);
}

/**
 * What fits a question, counted by an attribute, the most first.
 * @param by one of GROUPS, or "fact:" and the name of a fact; anything else counts by kind
 */
export function groupEstate(
  db: Db,
  question: Omit<EstateQuestion, "sort" | "descending" | "page" | "pageSize">,
  by: string,
): EstateGroup[] {
  const { where, bound } = fitting(question);
  const fact = by.startsWith("fact:") ? by.slice("fact:".length) : undefined;
  const value =
    fact === undefined
      ? (GROUPED_BY[by as (typeof GROUPS)[number]] ?? GROUPED_BY.kind)
      : "(SELECT f.value FROM fact f WHERE f.component_id = c.id AND f.name = :fact AND f.valid_from <= :at AND (f.valid_to IS NULL OR f.valid_to > :at))";
  const tags =
    by === "tag"
      ? "LEFT JOIN label t ON t.component_id IN (c.id, c.host_id) AND t.name = 'tag' AND t.valid_from <= :at AND (t.valid_to IS NULL OR t.valid_to > :at)"
      : "";
  return prepared<EstateGroup>(
    db,
    `WITH ${SICK} SELECT ${value} AS value, count(DISTINCT c.id) AS count,
       count(DISTINCT CASE WHEN c.id IN (SELECT id FROM sick) THEN c.id END) AS unwell
     FROM component c ${tags} WHERE ${where} GROUP BY value ORDER BY value IS NULL, count DESC, value LIMIT ${MOST_GROUPS}`,
  ).all(
    ...bound,
    ...(value.includes(":at") || tags ? [{ at: question.atMs, ...(fact === undefined ? {} : { fact }) }] : []),
  );
}

/** Names of facts that components have now: from one name to the next, since there are a hundred times as many facts. */
export const factNames = (db: Db): string[] =>
  prepared<{ name: string }>(
    db,
    `WITH RECURSIVE known (name) AS (
       SELECT min(name) FROM fact WHERE valid_to IS NULL
       UNION ALL
       SELECT (SELECT min(f.name) FROM fact f WHERE f.valid_to IS NULL AND f.name > known.name) FROM known
       WHERE known.name IS NOT NULL)
     SELECT name FROM known WHERE name IS NOT NULL LIMIT 200`,
  )
    .all()
    .map((row) => row.name);

/** One page of the estate as it was at an instant, with how many fit the filter. */
export function listEstate(db: Db, question: EstateQuestion): { rows: EstateRow[]; total: number } {
  const { where, bound } = fitting(question);
  const total =
    prepared<{ total: number }>(db, `WITH ${SICK} SELECT count(*) AS total FROM component c WHERE ${where}`).get(
      ...bound,
    )?.total ?? 0;
  // Only what is sorted by is read of all; the rest of the page's own.
  const order = question.descending ? "DESC" : "ASC";
  const rows = prepared<Omit<EstateRow, "services" | "labels">>(
    db,
    `WITH ${SICK}, page AS MATERIALIZED (
       SELECT c.id, row_number() OVER () AS place FROM (
         SELECT c.id FROM component c WHERE ${where}
         ORDER BY ${SORTED_BY[question.sort]} ${order}, c.name, c.id LIMIT ? OFFSET ?) c)
     SELECT c.id, c.name, c.kind, c.site, ${ADDRESS} AS address, c.last_seen_at AS lastSeenAt,
       coalesce((SELECT severity FROM sick WHERE sick.id = c.id), 'cleared') AS severity
     FROM page JOIN component c ON c.id = page.id ORDER BY page.place`,
  ).all(...bound, question.pageSize, question.page * question.pageSize);
  // What belongs to the rows of this page only is asked for these, not for all that are sorted.
  const ids = JSON.stringify(rows.map((row) => row.id));
  const textsOf = (sql: string) =>
    new Map(
      prepared<{ id: number; text: string }>(db, sql)
        .all(ids, question.atMs, question.atMs)
        .map((row) => [row.id, row.text]),
    );
  const facts = new Map<number, Record<string, string>>();
  if (question.facts?.length)
    for (const { id, name, value } of prepared<{ id: number; name: string; value: string }>(
      db,
      `SELECT f.component_id AS id, f.name, f.value FROM json_each(?) one JOIN fact f ON f.component_id = one.value
       WHERE f.name IN (SELECT value FROM json_each(?)) AND f.valid_from <= ? AND (f.valid_to IS NULL OR f.valid_to > ?)`,
    ).all(ids, JSON.stringify(question.facts), question.atMs, question.atMs))
      facts.set(id, { ...facts.get(id), [name]: value });
  const services = textsOf(SERVICES_OF);
  const labels = textsOf(LABELS_OF);
  return {
    rows: rows.map((row) => ({
      ...row,
      services: services.get(row.id) ?? null,
      labels: labels.get(row.id) ?? null,
      facts: facts.get(row.id) ?? {},
    })),
    total,
  };
}

export function estateFacets(
  db: Db,
  atMs: number,
): { kinds: { kind: string; count: number }[]; sites: { site: string; count: number }[] } {
  const rows = prepared<{ kind: string; site: string; count: number }>(
    db,
    `SELECT kind, site, count(*) AS count FROM component WHERE ${VALID_AT} GROUP BY kind, site ORDER BY kind, site`,
  ).all(atMs, atMs);
  const sum = (of: (row: (typeof rows)[number]) => string) => {
    const counts = new Map<string, number>();
    for (const row of rows) counts.set(of(row), (counts.get(of(row)) ?? 0) + row.count);
    return [...counts].sort(([a], [b]) => (a < b ? -1 : 1));
  };
  return {
    kinds: sum((row) => row.kind).map(([kind, count]) => ({ kind, count })),
    sites: sum((row) => row.site).map(([site, count]) => ({ site, count })),
  };
}
