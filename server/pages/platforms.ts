import { columnsOf, groupLabel, headOf, groupOf, INSTANCES } from "#core/platforms/columns";
import { byName, sortedSlice } from "#core/units/order";
import { estateVersion } from "../store/changes";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { factNamesOfMany, factsOfMany } from "../store/facts";
import { countThings, listPlatforms, platformFailures, platformPlaces, thingsOf } from "../store/platforms";
import { spansOf } from "../store/query";
import { healthAt } from "../store/services";
import { lastSample, metricsOfMany, seriesOfMetrics, type SeriesRow } from "../store/signals";
import { driverOf } from "../sources/registry";
import { listSources } from "../store/sources";
import { RECENT_MS } from "./guests";
import { spendOfAccounts } from "./spend";

/** Points of the line in a row. */
const TREND_POINTS = 24;
export const ROWS_SHOWN = 50;

/** What is in places of platforms as they stand now: a page of a list is mostly followed by another of the same. */
const listedOf = new WeakMap<Db, Map<string, ReturnType<typeof thingsOf>>>();
const MOST_LISTED = 4;

/** What is in a place at an instant, by name. */
function thingsByName(db: Db, id: number, atMs: number): ReturnType<typeof thingsOf> {
  const listed = listedOf.get(db) ?? new Map<string, ReturnType<typeof thingsOf>>();
  listedOf.set(db, listed);
  const version = estateVersion(db, atMs);
  const key = `${id} ${version}`;
  const known = version === undefined ? undefined : listed.get(key);
  if (known) return known;
  const things = thingsOf(db, id, atMs).sort((a, b) => byName(a.name, b.name) || a.id - b.id);
  if (version === undefined) return things;
  if (listed.size >= MOST_LISTED) listed.delete(listed.keys().next().value as string);
  listed.set(key, things);
  return things;
}

/** Every account with its regions: whether it answers, what is in it, what failed. */
export function platformsPage(db: Db, { atMs }: { atMs: number }) {
  const health = healthAt(db, "component", atMs);
  const places = platformPlaces(db, atMs);
  const rows = new Map(listPlatforms(db).map((one) => [one.source_id, one]));
  const sources = listSources(db).filter((one) => rows.has(one.id) || isFollowed(one.kind));
  const regions = factsOfMany(
    db,
    places.map((one) => one.id),
    ["region"],
    atMs,
  );
  const spend = spendOfAccounts(db, atMs);
  return {
    currency: spend?.currency ?? null,
    sources: sources.map(({ id, name }) => {
      const row = rows.get(id);
      return {
        id,
        name,
        readAt: row?.read_at ?? null,
        tookMs: row?.took_ms ?? null,
        problem: row?.problem ?? null,
        things: row?.things ?? 0,
      };
    }),
    places: places.map((one) => ({
      ...one,
      isTop: one.id === one.topId,
      isCluster: places.find(({ id }) => id === one.topId)?.kind === "platform.cluster",
      platform: sources.find(({ id }) => id === one.sourceId)?.name ?? "",
      severity: health.get(one.id)?.severity ?? ("cleared" as const),
      /** What the account cost this month. */
      spent: (one.id === one.topId ? spend?.accounts.get(one.name) : undefined) ?? null,
      counts: Object.fromEntries(countsOf(countThings(db, one.id, atMs))),
      /** Its id there, for a region. */
      region: regions.get(one.id)?.region ?? null,
    })),
    failures: platformFailures(db).map((one) => ({
      ...one,
      source: sources.find(({ id }) => id === one.source_id)?.name ?? "",
    })),
  };
}

const isFollowed = (kind: string) => {
  const { look, follow } = driverOf(kind);
  return look !== undefined || follow !== undefined;
};

/** How many there are of each sort. */
function countsOf(things: readonly { kind: string; count: number }[]): Map<string, number> {
  const counts = new Map<string, number>();
  for (const { kind, count } of things) counts.set(groupOf(kind), (counts.get(groupOf(kind)) ?? 0) + count);
  return counts;
}

export interface PlatformQuestion {
  id: number;
  /** What the list is of; the first there is when left out. */
  group: string;
  search: string;
  /** "name", "region", a fact or a metric. */
  sort: string;
  order: "asc" | "desc";
  page: number;
  /** Rows of a page; all for a file. */
  size: number;
  atMs: number;
  fromMs: number;
  toMs: number;
}

/** What an account or a region has, a list a kind, with the figures that matter for that kind. */
export function platformPage(db: Db, question: PlatformQuestion) {
  const { id, atMs } = question;
  const component = componentById(db, id);
  if (!component) return null;
  const things = thingsByName(db, id, atMs);
  const groups = [...countsOf(things.map(({ kind }) => ({ kind, count: 1 })))]
    .map(([group, count]) => ({ group, label: groupLabel(group, component.kind), count }))
    .sort((a, b) => Number(b.group === INSTANCES) - Number(a.group === INSTANCES) || a.label.localeCompare(b.label));
  const first = groups.find((one) => one.group === INSTANCES || one.group === "app.workload") ?? groups[0];
  const group = groups.some((one) => one.group === question.group) ? question.group : (first?.group ?? INSTANCES);
  const row = listPlatforms(db).find((one) => one.source_id === component.source_id);
  return {
    component: { id, name: component.name, kind: component.kind, site: component.site },
    places: platformPlaces(db, atMs),
    readAt: row?.read_at ?? null,
    problem: row?.problem ?? null,
    groups,
    group,
    ...listOfGroup(
      db,
      { ...question, group, owner: component.kind },
      things.filter(({ kind }) => groupOf(kind) === group),
    ),
  };
}

interface Figure {
  value: number;
  unit: string;
}

function listOfGroup(db: Db, question: PlatformQuestion & { owner: string }, things: readonly Sortable[]) {
  const { sort, order, page, size, atMs, fromMs, toMs } = question;
  const ids = things.map((one) => one.id);
  const columns = columnsOf(question.group, question.owner);
  const [factNames, metrics] = [factNamesOfMany(db, ids, columns.facts, atMs), metricsOfMany(db, ids, columns.metrics)];
  // What neither finds nor orders rows is read for those that are shown only.
  const isByFact = question.search !== "" || factNames.includes(sort);
  const allFacts = isByFact ? factsOfMany(db, ids, factNames, atMs) : undefined;
  const allSeries = metrics.includes(sort) ? seriesOfMetrics(db, ids, [sort]) : undefined;
  const figureOf = (own: Map<string, SeriesRow> | undefined, metric: string): Figure | undefined => {
    const one = own?.get(metric);
    const last = one && lastSample(db, one.id, atMs, RECENT_MS);
    return one && last ? { value: last.value, unit: one.unit } : undefined;
  };
  const found = foundBy(question.search, things, (id) => Object.values(allFacts?.get(id) ?? {}));
  const keyOf = sortKey(sort, {
    facts: allFacts,
    figure: (id, metric) => figureOf(allSeries?.get(id), metric)?.value,
    metrics,
  });
  const sign = order === "desc" ? -1 : 1;
  const [from, to] = [page * size, (page + 1) * size];
  // By name they stand already.
  const shown = isByName(sort)
    ? (sign < 0 ? found.toReversed() : found).slice(from, to)
    : sortedSlice(
        found.map((one, place) => ({ one, place, key: keyOf(one) })),
        (a, b) => compare(a.key, b.key, sign) || a.place - b.place,
        from,
        to,
      ).map(({ one }) => one);
  const shownIds = shown.map((one) => one.id);
  const facts = allFacts ?? factsOfMany(db, shownIds, factNames, atMs);
  const series = seriesOfMetrics(db, shownIds, metrics);
  const health = healthAt(db, "component", atMs);
  const step = Math.max(1000, Math.ceil((toMs - fromMs) / TREND_POINTS / 1000) * 1000);
  return {
    total: found.length,
    factNames,
    metrics: metrics.map((metric) => ({ metric, label: headOf(metric) })),
    rows: shown.map((one) => {
      const own = series.get(one.id);
      return {
        ...one,
        severity: health.get(one.id)?.severity ?? ("cleared" as const),
        facts: facts.get(one.id) ?? {},
        figures: metrics.map((metric) => figureOf(own, metric) ?? null),
        /** Mean of the first figure over the window, in steps. */
        trend: metrics[0] === undefined ? [] : trendOf(db, own?.get(metrics[0]), fromMs, toMs, step),
      };
    }),
  };
}

/** Those that have the words in their name, their region or a fact. */
function foundBy(
  search: string,
  things: readonly Sortable[],
  factsOf: (id: number) => readonly string[],
): readonly Sortable[] {
  const wanted = search.toLowerCase();
  if (wanted === "") return things;
  return things.filter((one) =>
    [one.name, one.region ?? "", ...factsOf(one.id)].some((text) => text.toLowerCase().includes(wanted)),
  );
}

type Sortable = ReturnType<typeof thingsOf>[number];

const isByName = (sort: string) => sort === "name" || sort === "";

function sortKey(
  sort: string,
  known: {
    facts: ReadonlyMap<number, Readonly<Record<string, string>>> | undefined;
    figure: (id: number, metric: string) => number | undefined;
    metrics: readonly string[];
  },
): (one: Sortable) => string | number | undefined {
  if (sort === "region") return (one) => one.region ?? undefined;
  if (known.metrics.includes(sort)) return (one) => known.figure(one.id, sort);
  return (one) => known.facts?.get(one.id)?.[sort];
}

/** What is not known stands last, whatever the order. */
function compare(a: string | number | undefined, b: string | number | undefined, sign: number): number {
  if (a === undefined || b === undefined) return Number(a === undefined) - Number(b === undefined);
  // All keys of one list are of one sort.
  if (typeof a === "number") return sign * (a - (b as number));
  return sign * byName(a as string, b as string);
}

function trendOf(db: Db, series: SeriesRow | undefined, fromMs: number, toMs: number, step: number): number[] {
  if (!series) return [];
  const spans = spansOf(db, series, fromMs, toMs, step);
  return [...spans.sum].map((sum, index) => sum / (spans.count[index] as number));
}
