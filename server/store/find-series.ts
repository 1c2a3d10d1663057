import { fitsPattern } from "#core/estate/pattern";
import { prepared, type Db } from "./database";

export interface FoundSeries {
  id: number;
  metric: string;
  instance: string;
  owner: string;
  kind: string;
  site: string;
}

const likeOf = (word: string) => `%${word.replaceAll(/[\\%_]/g, "\\$&")}%`;

/** Series that have every word somewhere: in the metric's name, the instance, the owner's name, kind or site. */
export function findSeries(db: Db, words: readonly string[], most: number): FoundSeries[] {
  const texts = words.slice(0, 6).map(likeOf);
  while (texts.length < 6) texts.push("%");
  return prepared<FoundSeries>(
    db,
    `SELECT id, metric, instance, owner, kind, site FROM
       (SELECT s.id, s.metric, s.instance, coalesce(c.name, v.name, o.attributes, '') AS owner, coalesce(c.kind, 'service') AS kind, coalesce(c.site, '') AS site,
          lower(s.metric || ' ' || coalesce(c.name, v.name, o.attributes, '') || ' ' || coalesce(c.kind, '') || ' ' || coalesce(c.site, '')) || ' ' || metric_name(s.metric, s.instance) AS hay
        FROM series s LEFT JOIN component c ON c.id = s.component_id LEFT JOIN service v ON v.id = s.service_id LEFT JOIN resource o ON o.id = s.resource_id
        WHERE c.valid_to IS NULL)
     WHERE hay LIKE ? ESCAPE '\\' AND hay LIKE ? ESCAPE '\\' AND hay LIKE ? ESCAPE '\\' AND hay LIKE ? ESCAPE '\\' AND hay LIKE ? ESCAPE '\\' AND hay LIKE ? ESCAPE '\\'
     ORDER BY length(hay), owner, instance LIMIT ?`,
  ).all(...texts, most);
}

/** Every metric with how many series it has, those measured most first. */
export function listMetrics(db: Db): { metric: string; count: number }[] {
  return prepared<{ metric: string; count: number }>(
    db,
    "SELECT metric, count(*) AS count FROM series GROUP BY metric ORDER BY count DESC, metric LIMIT 300",
  ).all();
}

/** Every series that may count requests, of components that are there. */
export const requestSeriesOfAll = (
  db: Db,
): { id: number; component_id: number; kind: string; metric: string; instance: string; unit: string }[] =>
  prepared<{ id: number; component_id: number; kind: string; metric: string; instance: string; unit: string }>(
    db,
    `SELECT s.id, s.component_id, c.kind, s.metric, s.instance, s.unit FROM series s
     JOIN component c ON c.id = s.component_id AND c.valid_to IS NULL WHERE s.metric LIKE '%.duration.%'`,
  ).all();

/** Series of a metric, or all, with what they belong to, as rules judge them: of what is polled and sent, the polled one. */
export function seriesForRules(db: Db, metric: string | undefined): RuleSeries[] {
  return prepared<RuleSeries>(
    db,
    `SELECT s.id, s.component_id, s.resource_id, s.metric, s.instance, s.unit, coalesce(c.name, v.name) AS name, c.kind,
       s.service_id FROM series s
     LEFT JOIN component c ON c.id = s.component_id AND c.valid_to IS NULL LEFT JOIN service v ON v.id = s.service_id AND v.valid_to IS NULL
     WHERE (:metric IS NULL OR s.metric = :metric) AND (c.id IS NOT NULL OR v.id IS NOT NULL) AND (s.resource_id IS NULL OR NOT EXISTS
       (SELECT 1 FROM series p WHERE p.component_id = s.component_id AND p.metric = s.metric AND p.instance = s.instance AND p.resource_id IS NULL))
     ORDER BY name, s.instance`,
  ).all({ metric: metric ?? null });
}

/** A series as a rule judges it. */
export interface RuleSeries {
  id: number;
  component_id: number | null;
  resource_id: number | null;
  metric: string;
  instance: string;
  unit: string;
  name: string;
  kind: string | null;
  service_id: number | null;
}

/** The series of another metric of the same thing and instance. */
export const seriesBeside = (db: Db, one: RuleSeries, metric: string): number | undefined =>
  prepared<{ id: number }>(
    db,
    `SELECT id FROM series WHERE component_id IS :component AND service_id IS :service AND resource_id IS :resource
     AND metric = :metric AND instance = :instance LIMIT 1`,
  ).get({
    component: one.component_id,
    service: one.service_id,
    resource: one.resource_id,
    metric,
    instance: one.instance,
  })?.id;

export interface MetricCount {
  metric: string;
  kind: string;
  site: string;
  unit: string;
  count: number;
}

/** How many series there are of each metric by kind and site of their components. */
export function countMetrics(db: Db): MetricCount[] {
  return prepared<MetricCount>(
    db,
    `SELECT s.metric, c.kind, c.site, min(s.unit) AS unit, count(*) AS count FROM series s
     JOIN component c ON c.id = s.component_id WHERE c.valid_to IS NULL GROUP BY s.metric, c.kind, c.site`,
  ).all();
}

/** How many series of each metric the members of each service have. */
export function countServiceMetrics(db: Db): { metric: string; uid: string; name: string; count: number }[] {
  return prepared<{ metric: string; uid: string; name: string; count: number }>(
    db,
    `SELECT s.metric, v.uid, v.name, count(*) AS count FROM service v JOIN member m ON m.service_id = v.id AND m.valid_to IS NULL JOIN series s ON s.component_id = m.component_id
     WHERE v.valid_to IS NULL GROUP BY s.metric, v.id`,
  ).all();
}

/** What the members of a service have measured, those in the window, and in how many places. */
export function metricsOfService(
  db: Db,
  uid: string,
  fromMs: number,
  toMs: number,
): { metric: string; count: number }[] {
  return prepared<{ metric: string; count: number }>(
    db,
    `SELECT s.metric, count(*) AS count FROM series s INDEXED BY series_owner WHERE s.component_id IN (
       SELECT m.component_id FROM service v JOIN member m ON m.service_id = v.id AND m.valid_from <= ?
         AND (m.valid_to IS NULL OR m.valid_to > ?) WHERE v.uid = ? AND v.valid_to IS NULL)
     GROUP BY s.metric ORDER BY count DESC, s.metric`,
  ).all(toMs, fromMs, uid);
}

export const wordsOf = (text: string) => text.toLowerCase().split(/\s+/).filter(Boolean);
export const hasWords = (hay: string, words: readonly string[]) =>
  words.every((word) => fitsPattern(`*${word.replaceAll("*", "")}*`, hay));
