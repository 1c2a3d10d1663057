import { kindInfo } from "#core/catalogue/kinds";
import { compareSiblings, siblingsAmong, type Sibling } from "#core/estate/siblings";
import { isOfPlatform, LISTED } from "#core/estate/labels";
import { formatValue } from "#core/units/format";
import { MINUTE_MS } from "#core/time/windows";
import { mostCalled, operationFigures } from "../store/call-figures";
import type { Db } from "../store/database";
import { componentsAt, inventoryAt, type ComponentRow } from "../store/estate";
import { factsAt } from "../store/facts";
import { labelsAt } from "../store/labels";
import { relationsOf } from "../store/relations";
import { resourcesOf } from "../store/resources";
import { healthAt } from "../store/services";
import { operationsOf } from "../store/spans";
import { isAnswer } from "./traces";

/** More siblings than this are not compared at once. */
const MOST_SIBLINGS = 12;
/** Facts that name a thing, and so differ in all of them. */
const NAMING = new Set([
  "address",
  "host name",
  "addresses",
  "DNS names",
  "description",
  "started",
  "uptime",
  "open ports",
  "agent",
]);
/** What people say of things is not how they are. */
const LIGHT = new Set(["labels"]);
const isNaming = (fact: string) => NAMING.has(fact) || isOfPlatform(fact) || fact.startsWith(LISTED);

export interface SiblingsQuestion {
  id: number;
  atMs: number;
  fromMs: number;
}

const labelOf = (row: ComponentRow) => row.label ?? row.name;

/** A component beside those that ought to be like it: what it has that they lack, and the other way round. */
export function siblingsPage(db: Db, { id, atMs, fromMs }: SiblingsQuestion) {
  const rows = componentsAt(db, atMs);
  const own = rows.find((row) => row.id === id);
  if (!own) return null;
  const parts = new Map<number, ComponentRow[]>();
  for (const row of rows) if (row.host_id !== null) parts.set(row.host_id, [...(parts.get(row.host_id) ?? []), row]);
  const chosen = [own, ...siblingsAmong(own, rows, parts).filter((row) => row.id !== id)].slice(0, MOST_SIBLINGS);
  const byId = new Map(rows.map((row) => [row.id, row]));
  const health = healthAt(db, "component", atMs);
  const siblings = chosen.map((row): Sibling => ({ id: row.id, traits: traitsOf(db, row, parts, byId, atMs) }));
  const { rows: lines, alike, odd, differs } = compareSiblings(siblings, LIGHT);
  return {
    component: { id, name: own.name, kind: kindInfo(own.kind).label },
    why:
      own.host_id === null
        ? "hosts that run much the same programs, or are named alike"
        : `${labelOf(own)} on other hosts`,
    siblings: chosen.map((row, place) => ({
      id: row.id,
      name: row.name,
      severity: health.get(row.id)?.severity ?? ("cleared" as const),
      reason: health.get(row.id)?.reason ?? "",
      differs: differs[place] ?? 0,
      figures: figuresOf(db, row, parts, fromMs, atMs),
    })),
    rows: lines,
    alike,
    odd: odd === null ? null : (chosen[odd]?.id ?? null),
  };
}

/** How many differences are told of the odd one. */
const MOST_TOLD = 3;

/** In what a component is the odd one among its siblings, in words; null where it is not. */
export function oddAmongSiblings(
  db: Db,
  question: SiblingsQuestion,
): { siblings: number; differs: number; told: string[] } | null {
  const page = siblingsPage(db, question);
  const place = page?.siblings.findIndex((one) => one.id === question.id) ?? -1;
  if (!page || page.odd !== question.id || place < 0) return null;
  const own = page.rows.filter((row) => row.odd.includes(place) && !LIGHT.has(row.group));
  return {
    siblings: page.siblings.length - 1,
    differs: own.length,
    told: own.slice(0, MOST_TOLD).map(({ group, item, values, usual }) => {
      const has = values[place];
      const what = group === "ports" ? `port ${item}` : item;
      if (has === null || has === undefined) return `lacks ${what}`;
      if (usual === null) return has === "yes" ? `alone has ${what}` : `alone has ${what} ${has}`;
      return `${what} ${has} instead of ${usual}`;
    }),
  };
}

/** Parts: the same program on other hosts. Hosts: those that run much the same, or are named alike. */
function traitsOf(
  db: Db,
  row: ComponentRow,
  parts: ReadonlyMap<number, readonly ComponentRow[]>,
  byId: ReadonlyMap<number, ComponentRow>,
  atMs: number,
): Map<string, Map<string, string>> {
  const own = new Set([row.id, ...(parts.get(row.id) ?? []).map((part) => part.id)]);
  const relations = relationsOf(db, own, atMs).filter((one) => one.type === "talks-to");
  const talks = new Map<string, string>();
  for (const { from_id, to_id } of relations) {
    const isOut = own.has(from_id);
    const other = byId.get(isOut ? to_id : from_id);
    if (other && !own.has(other.id)) talks.set(`${isOut ? "talks to" : "is called by"} ${labelOf(other)}`, "yes");
  }
  const inventory = row.host_id === null ? inventoryAt(db, row.id, atMs) : undefined;
  const packages = new Map<string, string>();
  for (const one of inventory?.software ?? []) {
    const [, name = "", version = ""] = /^(.+?)[ -]v?(\d\S*)$/.exec(one.package ?? "") ?? [];
    if (name) packages.set(name, version);
  }
  return new Map([
    ["programs", new Map((parts.get(row.id) ?? []).map((part) => [labelOf(part), "yes"]))],
    ["facts", new Map(factsAt(db, row.id, atMs).flatMap(({ name, value }) => (isNaming(name) ? [] : [[name, value]])))],
    ["relations", talks],
    ["ports", new Map((inventory?.listeners ?? []).map(({ port }) => [String(port), "yes"]))],
    ["packages", packages],
    [
      "labels",
      new Map(
        labelsAt(db, row.id, atMs).flatMap(({ name, value }) => (name === "note" ? [] : [[name, value] as const])),
      ),
    ],
  ]);
}

/** Load, failures and response time of what it answers, where spans tell. */
function figuresOf(
  db: Db,
  row: ComponentRow,
  parts: ReadonlyMap<number, readonly ComponentRow[]>,
  fromMs: number,
  atMs: number,
): { perMinute: string; failed: string; p95: string } | null {
  const senders = [row, ...(parts.get(row.id) ?? [])].flatMap((one) => resourcesOf(db, one.id));
  const answered = operationsOf(db, senders).filter((one) => isAnswer(one.kind));
  const counts = mostCalled(
    db,
    answered.map((one) => one.id),
    fromMs,
    atMs,
  );
  const calls = counts.reduce((sum, one) => sum + one.calls, 0);
  if (!calls) return null;
  const [first, ...others] = operationFigures(
    db,
    counts.map((one) => one.id),
    fromMs,
    atMs,
  ).values();
  for (const one of others) first?.sketch.merge(one.sketch);
  return {
    perMinute: formatValue(calls / Math.max(1, (atMs - fromMs) / MINUTE_MS), "1"),
    failed: formatValue((counts.reduce((sum, one) => sum + one.failed, 0) / calls) * 100, "%"),
    p95: formatValue((first?.sketch.quantile(0.95) ?? 0) / 1000, "ms"),
  };
}
