import type { RelationChange } from "#core/estate/absence";
import type { KnownComponent, KnownEstate } from "#core/estate/known";
import { PLATFORM, TOLD } from "#core/estate/labels";
import type { Look, Observation, ObservedRelation } from "#core/estate/observation";
import { mergedInventory } from "#core/estate/inventory";
import { factInWords } from "#core/estate/fact-changes";
import type { Change, Plan, Ref } from "#core/estate/plan";
import type { RelationPlan } from "#core/estate/relations";
import { insertChange } from "../store/changes";
import type { Db } from "../store/database";
import {
  addKeys,
  componentById,
  insertComponent,
  inventoryAt,
  markMissed,
  markSeen,
  renameComponent,
  retireComponent,
  writeInventory,
} from "../store/estate";
import { writeFact } from "../store/facts";
import { carryByHand, endRelation, insertRelation, missRelation, touchRelation } from "../store/relations";
import { endJoin, writeJoin } from "../store/known";
import { putListed } from "../store/labels";
import { noteSighting } from "../store/sightings";

/** Something that a plan changed, as a sweep lists it. */
export interface News {
  outcome: "new" | "back" | "changed" | "missing" | "gone";
  id: number;
  address: string;
  title: string;
  detail: string;
}

export interface Applied {
  idOf: (ref: Ref) => number;
  /** Components that were seen. */
  seen: Set<number>;
  retired: number[];
  news: News[];
}

/** Writes a plan; call inside a transaction. */
export function applyPlan(db: Db, known: KnownEstate, look: Look, plan: Plan): Applied {
  const made = new Map<string, number>();
  const idOf = (ref: Ref): number => (typeof ref === "number" ? ref : (made.get(ref) as number));
  const applied: Applied = { idOf, seen: new Set(), retired: [], news: [] };
  for (const change of plan.changes) {
    if (change.what !== "new") {
      applied.retired.push(...applyChange(db, known, look, change, applied.news));
      continue;
    }
    const id = addComponent(db, known, look, change, idOf);
    made.set(change.ref, id);
    applied.seen.add(id);
    applied.news.push({
      outcome: "new",
      id,
      address: addressOf(db, id),
      title: change.name,
      detail: `${change.observation.kind.reason}. New because ${change.reason}.`,
    });
  }
  for (const seen of plan.seen) {
    noteSeen(db, known, look, seen);
    applied.seen.add(seen.id);
  }
  for (const { id, name, keys, quiet } of plan.heard) {
    addKeys(db, id, keys);
    if (name !== null) renameComponent(db, id, name);
    for (const [fact, value] of Object.entries(quiet)) writeFact(db, id, fact, value, look.atMs);
  }
  for (const [observation, ref] of plan.refs)
    if (observation.labels) putListed(db, idOf(ref), observation.labels, look.observer.label, look.atMs);
  if (look.observer.sourceId !== null)
    for (const [observation, ref] of plan.refs)
      noteSighting(
        db,
        {
          componentId: idOf(ref),
          sourceId: look.observer.sourceId,
          depth: observation.depth,
          reader: observation.readBy,
        },
        look.atMs,
      );
  return applied;
}

type NewChange = Extract<Plan["changes"][number], { what: "new" }>;

/** Makes a component of what was observed for the first time; returns its id. */
function addComponent(
  db: Db,
  known: KnownEstate,
  look: Look,
  { observation, name, host, keys }: NewChange,
  idOf: (ref: Ref) => number,
): number {
  const { atMs, observer } = look;
  const hostId = host === null ? null : idOf(host);
  const id = insertComponent(
    db,
    {
      kind: observation.kind.is,
      confidence: observation.kind.confidence,
      name,
      site: hostId === null ? (observation.site ?? observer.site) : siteOf(db, hostId, observer.site),
      sourceId: observer.sourceId,
      hostId,
      address: observation.address ?? null,
      process: observation.process,
      port: observation.port,
      container: observation.container,
      label: observation.label,
      depth: observation.depth,
      readBy: observation.readBy,
      reason: observation.kind.reason,
      keys,
      facts: { ...observation.facts, ...observation.ownFacts },
      by: observer.label,
    },
    atMs,
  );
  if (observation.inventory) writeInventory(db, id, observation.inventory, atMs);
  const summary = `${name} was found for the first time`;
  insertChange(db, { atMs, kind: "component", componentId: id, summary, by: observer.label });
  return id;
}

/** Notes what a look says of a component that was known before. */
function noteSeen(db: Db, known: KnownEstate, { atMs, observer }: Look, seen: Plan["seen"][number]): void {
  const before = known.component(seen.id) as KnownComponent;
  const { observation } = seen;
  const deeper = !seen.shallow;
  addKeys(db, seen.id, seen.keys);
  markSeen(
    db,
    seen.id,
    {
      kind: seen.kind,
      confidence: seen.confidence,
      name: seen.name,
      reason: seen.reason,
      address: (deeper && !seen.keepsAddress) || before.address === null ? (observation.address ?? null) : null,
      process: observation.process ?? null,
      port: observation.port ?? null,
      label: observation.label ?? null,
      depth: deeper ? observation.depth : before.depth,
      readBy: deeper ? observation.readBy : before.readBy,
      // A source that looks deeper takes up what only an agent told of before.
      sourceId:
        before.sourceId === null || observation.depth > before.depth || isFirstSight(observation, before)
          ? observer.sourceId
          : null,
      // Where a rented machine stands is said by who looks at it, not by its platform.
      site: before.readBy === PLATFORM && deeper && observation.readBy !== PLATFORM ? observer.site : null,
    },
    atMs,
  );
  for (const [name, value] of Object.entries(seen.quiet)) writeFact(db, seen.id, name, value, atMs);
  if (observation.inventory) {
    const sameReader = before.readBy === observation.readBy;
    const fresh = { system: observation.inventory, shallow: !deeper, sameReader };
    writeInventory(db, seen.id, mergedInventory(inventoryAt(db, seen.id, atMs), fresh), atMs);
  }
}

/** Whether somebody looks at what only a list told of. */
const isFirstSight = ({ hearsay }: Observation, { readBy }: KnownComponent) => readBy === TOLD && !hearsay;

const siteOf = (db: Db, hostId: number, otherwise: string) => componentById(db, hostId)?.site ?? otherwise;

function addressOf(db: Db, id: number): string {
  const row = componentById(db, id);
  return row?.address ?? (row?.host_id === null || !row ? "" : (componentById(db, row.host_id)?.address ?? ""));
}

/** Writes one change; call inside a transaction. Returns the components that left the estate. */
export function applyChange(
  db: Db,
  known: KnownEstate,
  look: Look,
  change: Exclude<Change, { what: "new" }>,
  news: News[],
): number[] {
  const { atMs, observer } = look;
  const nameOf = (id: number) => componentById(db, id)?.name ?? known.component(id)?.name ?? `component ${id}`;
  const tell = (kind: string, componentId: number, summary: string) =>
    insertChange(db, { atMs, kind, componentId, summary, by: observer.label });
  const note = (outcome: News["outcome"], detail: string, title = nameOf(change.id)) =>
    news.push({ outcome, id: change.id, address: addressOf(db, change.id), title, detail });
  switch (change.what) {
    case "changed":
    case "back": {
      for (const { fact, after } of change.facts)
        if (fact !== "kind" && fact !== "name") writeFact(db, change.id, fact, after, atMs, observer.label);
      const name = change.facts.find((one) => one.fact === "name")?.after ?? nameOf(change.id);
      if (change.what === "back") {
        note("back", `Seen again: ${change.reason}.`, name);
        tell("component", change.id, `${name} is back`);
        return [];
      }
      const facts = change.facts.map(factInWords).join("; ");
      note("changed", `${facts}. Recognised by ${change.reason}.`, name);
      tell("setting", change.id, `${name}: ${facts}`);
      return [];
    }
    case "joined": {
      const [name, other] = [nameOf(change.into), nameOf(change.id)];
      const gone = [change.id, ...known.partsOf(change.id)];
      carryByHand(db, change.id, change.into, atMs);
      for (const id of gone) retireComponent(db, id, atMs);
      addKeys(db, change.into, change.keys);
      writeJoin(db, change.id, change.into, change.keys, change.reason, atMs);
      tell(
        "component",
        change.into,
        change.reason.startsWith("same ")
          ? `${name} and ${other} are the same component: ${change.reason}`
          : `${name} is ${change.reason}`,
      );
      return gone;
    }
    case "split":
      endJoin(db, change.id, change.from, atMs);
      addKeys(db, change.id, change.keys);
      note("back", `${change.reason}. It had been merged with ${nameOf(change.from)}.`);
      tell("component", change.id, `${nameOf(change.id)} is separate from ${nameOf(change.from)}: ${change.reason}`);
      return [];
    case "missing":
      markMissed(db, change.id);
      note("missing", change.reason);
      return [];
    case "retired":
      note("gone", change.reason);
      retireComponent(db, change.id, atMs);
      tell("component", change.id, `${nameOf(change.id)} is gone`);
      return [change.id];
  }
}

/** Writes changes that follow from absence; returns components that left the estate. */
export function applyAbsence(
  db: Db,
  known: KnownEstate,
  look: Look,
  changes: readonly Change[],
  news: News[],
): number[] {
  return changes.flatMap((change) => (change.what === "new" ? [] : applyChange(db, known, look, change, news)));
}

/** Writes what a look says of relations; returns the ids of those seen. */
export function applyRelations(db: Db, look: Look, plan: RelationPlan, nameOf: (id: number) => string): Set<number> {
  const { atMs, observer } = look;
  const seen = new Set<number>();
  for (const { relation, id, ended, notable } of plan) {
    for (const one of ended) endRelation(db, one.id, atMs);
    seen.add(id ?? insertRelation(db, { ...relation, fromId: relation.from, toId: relation.to }, atMs));
    if (id !== undefined) touchRelation(db, id, relation.connections, relation.seenBy, atMs);
    if (notable)
      insertChange(db, {
        atMs,
        kind: "relation",
        componentId: relation.from,
        summary: wordsOf(relation, ended, nameOf),
        by: observer.label,
      });
  }
  return seen;
}

function wordsOf(
  relation: ObservedRelation,
  ended: readonly { toId: number }[],
  nameOf: (id: number) => string,
): string {
  if (ended.length === 0) return relation.tell ?? "";
  return `${nameOf(relation.from)} moved from ${ended.map((one) => nameOf(one.toId)).join(", ")} to ${nameOf(relation.to)}`;
}

export function applyRelationAbsence(
  db: Db,
  look: Look,
  changes: readonly RelationChange[],
  nameOf: (id: number) => string,
): void {
  for (const change of changes) {
    if (change.what === "missing") {
      missRelation(db, change.relation.id);
      continue;
    }
    const { relation } = change;
    endRelation(db, relation.id, look.atMs);
    if (relation.type === "talks-to" && !change.quiet)
      insertChange(db, {
        atMs: look.atMs,
        kind: "relation",
        componentId: relation.fromId,
        summary: `${nameOf(relation.fromId)} no longer talks to ${nameOf(relation.toId)}`,
        by: look.observer.label,
      });
  }
}
