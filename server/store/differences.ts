import { prepared, type Db } from "./database";

/** A component that is at one instant and not at another. */
export interface ComesOrGoes {
  id: number;
  name: string;
  kind: string;
  site: string;
  at: number;
}

/** What is said otherwise of a component that is at both instants; null where nothing is said. */
export interface SaidOtherwise {
  id: number;
  component: string;
  name: string;
  before: string | null;
  after: string | null;
}

export interface JoinsOrParts {
  id: number;
  type: string;
  fromId: number;
  fromName: string;
  toId: number;
  toName: string;
  detail: string;
  at: number;
}

export interface Differences {
  came: ComesOrGoes[];
  left: ComesOrGoes[];
  facts: SaidOtherwise[];
  labels: SaidOtherwise[];
  joined: JoinsOrParts[];
  parted: JoinsOrParts[];
  totals: Record<"came" | "left" | "facts" | "labels" | "joined" | "parted", number>;
}

const MOST = 5_000;
const at = (alias: string, instant: string) =>
  `${alias}.valid_from <= ${instant} AND (${alias}.valid_to IS NULL OR ${alias}.valid_to > ${instant})`;
const CAME = `${at("t", ":to")} AND t.valid_from > :from`;
const LEFT = `${at("t", ":from")} AND t.valid_to IS NOT NULL AND t.valid_to <= :to`;

/**
 * In what the estate of an instant differs from that of one before: components, facts, labels and relations. Facts and
 * relations of what came or went are not listed besides.
 * @param search letters of names; empty for all
 */
export function differences(
  db: Db,
  { fromMs, toMs, search }: { fromMs: number; toMs: number; search: string },
): Differences {
  const bound = { from: fromMs, to: toMs, like: `%${search.replaceAll(/[\\%_]/g, (sign) => `\\${sign}`)}%` };
  const all = <Row>(sql: string) => prepared<Row>(db, `${sql} LIMIT ${MOST + 1}`).all(bound);
  const both = (id: string) =>
    `EXISTS (SELECT 1 FROM component x WHERE x.id = ${id} AND x.valid_from <= :from AND (x.valid_to IS NULL OR x.valid_to > :to))`;
  const components = (which: string, instant: string) =>
    all<ComesOrGoes>(
      `SELECT t.id, t.name, t.kind, t.site, ${instant} AS at FROM component t
       WHERE ${which} AND t.name LIKE :like ESCAPE '\\' ORDER BY t.host_id IS NOT NULL, t.name, t.id`,
    );
  const said = (table: "fact" | "label", value: string) =>
    all<SaidOtherwise>(
      `WITH touched AS MATERIALIZED (
         SELECT DISTINCT component_id, name FROM ${table} WHERE (valid_from > :from AND valid_from <= :to)
           OR (valid_to > :from AND valid_to <= :to)),
       said AS (
         SELECT c.id, c.name AS component, touched.name,
           (SELECT ${value} FROM ${table} t WHERE t.component_id = c.id AND t.name = touched.name AND ${at("t", ":from")}) AS before,
           (SELECT ${value} FROM ${table} t WHERE t.component_id = c.id AND t.name = touched.name AND ${at("t", ":to")}) AS after
         FROM touched JOIN component c ON c.id = touched.component_id
         WHERE ${both("c.id")} AND c.name LIKE :like ESCAPE '\\')
       SELECT * FROM said WHERE before IS NOT after ORDER BY component, id, name`,
    );
  const relations = (which: string, instant: string) =>
    all<JoinsOrParts>(
      `SELECT t.id, t.type, t.from_id AS fromId, a.name AS fromName, t.to_id AS toId, b.name AS toName, t.detail, ${instant} AS at
       FROM relation t JOIN component a ON a.id = t.from_id JOIN component b ON b.id = t.to_id
       WHERE ${which} AND ${both("a.id")} AND ${both("b.id")}
         AND (a.name LIKE :like ESCAPE '\\' OR b.name LIKE :like ESCAPE '\\') ORDER BY a.name, b.name, t.id`,
    );
  const found = {
    came: components(CAME, "t.valid_from"),
    left: components(LEFT, "t.valid_to"),
    facts: said("fact", "max(t.value)"),
    labels: said("label", "group_concat(t.value, ', ')"),
    joined: relations(CAME, "t.valid_from"),
    parted: relations(LEFT, "t.valid_to"),
  };
  const totals = Object.fromEntries(
    Object.entries(found).map(([name, rows]) => [name, rows.length]),
  ) as Differences["totals"];
  return {
    came: found.came.slice(0, MOST),
    left: found.left.slice(0, MOST),
    facts: found.facts.slice(0, MOST),
    labels: found.labels.slice(0, MOST),
    joined: found.joined.slice(0, MOST),
    parted: found.parted.slice(0, MOST),
    totals,
  };
}
