import { kindInfo } from "#core/catalogue/kinds";
import { atLeast, inSeries } from "#core/stats/availability";
import { serviceState, singlePoints, type Entrances, type Impact } from "#core/topology/impact";
import { cycles } from "#core/topology/structure";
import { DAY_MS, HOUR_MS } from "#core/time/windows";
import { structureAt, type BuiltEstate as Estate } from "../causes/structure-at";
import { declaredOf } from "./declared";
import { tiersOf } from "./tiers";
import { prepared, type Db } from "../store/database";
import { relationById, type RelationRow } from "../store/relations";
import { relianceAt, type HealthSubject } from "../store/services";

/** Availability is measured over so many days. */
const MEASURED_DAYS = 30;
const MOST_ROWS = 400;

const named = ({ components }: Estate, id: number) => {
  const row = components.get(id);
  return { id, name: row?.name ?? "?", kind: kindInfo(row?.kind ?? "").label };
};

/** Share of a span, 0 to 1, in which each subject was not critical; subjects that never were are left out. */
function availabilityOf(db: Db, subject: HealthSubject, fromMs: number, toMs: number): Map<number, number> {
  const rows = prepared<{ id: number; down: number }>(
    db,
    `SELECT subject_id AS id, sum(min(coalesce(valid_to, :to), :to) - max(valid_from, :from)) AS down FROM health
     WHERE subject = :subject AND severity = 'critical' AND valid_from < :to AND (valid_to IS NULL OR valid_to > :from)
     GROUP BY subject_id`,
  ).all({ subject, from: fromMs, to: toMs });
  return new Map(rows.map(({ id, down }) => [id, 1 - down / (toMs - fromMs)]));
}

/** How a service is built: what it hangs on alone, what stands in for what, who needs each other in a circle. */
export function serviceStructurePage(
  db: Db,
  { uid, atMs, fromMs = atMs - HOUR_MS }: { uid: string; atMs: number; fromMs?: number },
) {
  const estate = structureAt(db, atMs);
  const service = estate.services.find((one) => one.uid === uid);
  if (!service) return null;
  const entrances = estate.entrances.get(service.id) ?? [];
  const all = estate.structure.closure(entrances.flatMap(({ entries }) => entries));
  const points = singlePoints(estate.structure, entrances)
    .map(({ id, takes }) => ({ ...named(estate, id), takes: takes - 1 }))
    .sort((a, b) => b.takes - a.takes || a.name.localeCompare(b.name));
  const sets = new Map<string, { label: string; members: Set<number>; neededBy: Set<number> }>();
  const note = (label: string, members: readonly number[], by: number | null) => {
    const key = `${label} ${[...members].sort((a, b) => a - b).join()}`;
    const set = sets.get(key) ?? { label, members: new Set(members), neededBy: new Set<number>() };
    sets.set(key, set);
    if (by !== null) set.neededBy.add(by);
  };
  for (const { label, entries } of entrances) note(label, entries, null);
  for (const id of all)
    for (const { label, any } of estate.structure.needsOf(id))
      if (any.length > 1)
        note(
          label,
          any.map((one) => one.to),
          id,
        );
  const talks = new Map<number, number[]>();
  for (const row of estate.relations)
    if (row.type === "talks-to" && all.has(row.from_id) && all.has(row.to_id))
      talks.set(row.from_id, [...(talks.get(row.from_id) ?? []), row.to_id]);
  const relies = relianceAt(db, atMs);
  const reliance = new Map([...relies].map(([id, on]) => [id, [...on]]));
  const serviceNames = new Map(estate.services.map((one) => [one.id, one]));
  return {
    service: { uid: service.uid, name: service.name },
    count: all.size,
    tiers: tiersOf(db, service.id, fromMs, atMs),
    points: points.slice(0, MOST_ROWS),
    sets: [...sets.values()]
      .filter(({ members }) => members.size > 1)
      .map(({ label, members, neededBy }) => ({
        label,
        members: [...members].map((id) => named(estate, id)),
        neededBy: neededBy.size,
        sameHost: sharedCarrier(estate, [...members]),
      }))
      .sort((a, b) => b.neededBy - a.neededBy || a.label.localeCompare(b.label))
      .slice(0, MOST_ROWS),
    circles: cycles(talks).map((ids) => ids.map((id) => named(estate, id))),
    serviceCircles: cycles(reliance)
      .filter((ids) => ids.includes(service.id))
      .map((ids) => ids.flatMap((id) => serviceNames.get(id)?.name ?? [])),
    declared: declaredOf(
      db,
      service,
      {
        services: estate.services,
        reliance: relies,
        relations: estate.relations,
        nameOf: (id) => estate.components.get(id)?.name ?? "?",
      },
      atMs,
    ),
    availability: expected(db, estate, service.id, entrances, atMs),
  };
}

/** What carries all members of a redundant set alike, so that it takes them all: a host, a hypervisor; null without. */
function sharedCarrier(estate: Estate, members: readonly number[]): string | null {
  const carriers = members.map((id) => {
    const chain = new Set<number>();
    const waiting = [id];
    while (waiting.length) {
      const at = waiting.pop() as number;
      for (const { from_id, to_id, type } of relationsFrom(estate, at))
        if ((type === "runs-on" || type === "hosted-by") && from_id === at && !chain.has(to_id)) {
          chain.add(to_id);
          waiting.push(to_id);
        }
    }
    return chain;
  });
  const [first, ...others] = carriers;
  for (const id of first ?? [])
    if (others.every((chain) => chain.has(id))) {
      const { kind } = estate.components.get(id) ?? { kind: "" };
      // A region or account carries everything of it: that is no news.
      if (kindInfo(kind).isHost || kindInfo(kind).hasGuests) return named(estate, id).name;
    }
  return null;
}

const byFrom = new WeakMap<Estate, Map<number, RelationRow[]>>();

function relationsFrom(estate: Estate, id: number): readonly RelationRow[] {
  let map = byFrom.get(estate);
  if (!map) {
    map = new Map();
    for (const row of estate.relations) {
      const list = map.get(row.from_id);
      if (list) list.push(row);
      else map.set(row.from_id, [row]);
    }
    byFrom.set(estate, map);
  }
  return map.get(id) ?? [];
}

/**
 * Availability that follows from the members' own, each set in parallel and all sets in series, failing independently;
 * and what was measured of the service. Null where there is less than a day of past.
 */
function expected(db: Db, estate: Estate, serviceId: number, entrances: Entrances, atMs: number) {
  const first = prepared<{ at: number | null }>(db, "SELECT min(valid_from) AS at FROM component").get()?.at ?? atMs;
  const fromMs = Math.max(first, atMs - MEASURED_DAYS * DAY_MS);
  if (atMs - fromMs < DAY_MS) return null;
  const own = availabilityOf(db, "component", fromMs, atMs);
  const of = (id: number) => own.get(id) ?? 1;
  const counted = new Set<string>();
  const series: number[] = [];
  const add = (members: readonly number[]) => {
    const key = [...members].sort((a, b) => a - b).join();
    if (counted.has(key)) return;
    counted.add(key);
    series.push(atLeast(1, members.map(of)));
  };
  for (const { entries } of entrances) add(entries);
  for (const id of estate.structure.closure(entrances.flatMap(({ entries }) => entries)))
    for (const { any } of estate.structure.needsOf(id)) add(any.map((one) => one.to));
  return {
    expected: inSeries(series),
    measured: availabilityOf(db, "service", fromMs, atMs).get(serviceId) ?? 1,
    days: Math.round((atMs - fromMs) / DAY_MS),
  };
}

export interface WhatIfQuestion {
  atMs: number;
  /** "c12" a component, "r34" a relation, "site:North Quay" a whole site. */
  fail: readonly string[];
}

/** What would fail if some things failed: services first, then components in the order they would. */
export function whatIfPage(db: Db, { atMs, fail }: WhatIfQuestion) {
  const estate = structureAt(db, atMs);
  const { failed, cut, cutFrom, names } = failing(db, estate, fail);
  const impact = estate.structure.impact(failed, cut, cutFrom);
  const steps = stepsOf(estate, impact, new Set(failed));
  return {
    names,
    services: estate.services
      .map((service) => ({
        uid: service.uid,
        name: service.name,
        state: serviceState(estate.entrances.get(service.id) ?? [], impact),
        entrances: (estate.entrances.get(service.id) ?? []).map(({ label, entries }) => ({
          label,
          left: entries.filter((id) => !impact.down.has(id)).length,
          of: entries.length,
        })),
      }))
      .sort((a, b) => RANK[a.state] - RANK[b.state] || a.name.localeCompare(b.name)),
    down: steps.slice(0, MOST_ROWS),
    downCount: steps.length,
    weakened: [...impact.weakened]
      .map(([id, { label, lost, of }]) => ({ ...named(estate, id), label, lost, of }))
      .sort((a, b) => a.name.localeCompare(b.name))
      .slice(0, MOST_ROWS),
    weakenedCount: impact.weakened.size,
    sites: [...new Set([...estate.components.values()].map((row) => row.site))].filter(Boolean).sort(),
  };
}

const RANK = { down: 0, weakened: 1, up: 2 } as const;

function stepsOf(estate: Estate, impact: Impact, failed: ReadonlySet<number>) {
  return [...impact.down]
    .filter(([id]) => !failed.has(id))
    .map(([id, { step, because }]) => ({ ...named(estate, id), step, because: because ?? "" }))
    .sort((a, b) => a.step - b.step || a.name.localeCompare(b.name));
}

function failing(db: Db, estate: Estate, fail: readonly string[]) {
  const failed: number[] = [];
  const cut = new Set<number>();
  const cutFrom: number[] = [];
  const names: string[] = [];
  for (const one of fail) {
    const id = Number(one.slice(1));
    const relation = one.startsWith("r") ? relationById(db, id) : undefined;
    if (one.startsWith("site:")) {
      const site = one.slice("site:".length);
      const here = [...estate.components.values()].filter((row) => row.site === site);
      if (here.length) names.push(`everything at ${site}`);
      failed.push(...here.map((row) => row.id));
    } else if (relation) {
      cut.add(relation.id);
      cutFrom.push(relation.from_id);
      names.push(`the relation of ${named(estate, relation.from_id).name} to ${named(estate, relation.to_id).name}`);
    } else if (estate.components.has(id)) {
      failed.push(id);
      names.push(named(estate, id).name);
    }
  }
  return { failed, cut, cutFrom, names };
}
