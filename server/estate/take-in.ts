import { planAbsence, planRelationAbsence } from "#core/estate/absence";
import {
  deriveConnections,
  deriveGuests,
  deriveHosting,
  type InventoriedHost,
  type Neighbourhood,
  type Note,
} from "#core/estate/derive";
import { PROGRAM } from "#core/estate/entity";
import type { EstateBook, KnownComponent } from "#core/estate/known";
import { isOfPlatform } from "#core/estate/labels";
import {
  identityKey,
  type Listing,
  type Look,
  type Observation,
  type ObservedRelation,
} from "#core/estate/observation";
import { planEstate, type Plan } from "#core/estate/plan";
import { inSpans, type AddressSpan } from "#core/estate/ranges";
import { planRelations } from "#core/estate/relations";
import { isHostLike } from "#core/catalogue/kinds";
import type { Db } from "../store/database";
import { driverOf } from "../sources/registry";
import { componentById, inventoryAt } from "../store/estate";
import { isByHand } from "#core/topology/by-hand";
import { SPANS } from "../store/relations";
import { readEstate, runningOn, StoredEstate } from "../store/known";
import { listSources } from "../store/sources";
import { applyAbsence, applyPlan, applyRelationAbsence, applyRelations, type Applied, type News } from "./apply";

const MOST_UNKNOWN = 500;

export interface TakenIn {
  news: News[];
  /** Peers and machines that no source covers; only of a complete look. */
  unmatched: (Omit<Note, "componentId"> & { componentId: number | null })[];
  retired: number[];
}

/**
 * Takes a look of a source into the estate, in one transaction: who is who, what is new and changed, which machine is
 * which host, who talks to whom; and, where everything was listed, what is missing and gone.
 * @param listings what was listed in full; none while a sweep is under way or when it was cut short
 * @param refused addresses that answered but could not be read
 */
export function takeInLook(
  db: Db,
  look: Look,
  listings: readonly Listing[],
  refused: ReadonlySet<string> = new Set(),
): TakenIn {
  return db.transaction(() => {
    const known = readEstate(db);
    const plan = planEstate(known, look);
    const applied = applyPlan(db, known, look, plan);
    const { seen } = applied;
    const parts = plan.runsOn.map(({ part, host }): ObservedRelation => ({
      type: "runs-on",
      from: applied.idOf(part),
      to: applied.idOf(host),
      detail: "",
      connections: 0,
      seenBy: "",
    }));
    const lookedAt = new Set(seen);

    // Connections and machines are matched over the whole estate: hosts of other sources come with their last
    // inventory.
    const between = readEstate(db);
    const hosts = inventoriesOf(db, between, seen, look.atMs);
    const placed = placeMachines(db, look, between, hosts);
    const book = readEstate(db);
    const nameOf = (id: number) => book.component(id)?.name ?? `component ${id}`;
    const isNewcomer = (id: number) => (book.component(id)?.validFrom ?? 0) >= look.sinceMs;
    const hosting = deriveHosting(placed.placement, placed.idOf, nameOf);
    const around = neighbourhoodOf(book, new Set(hosts.map((one) => one.component.id)), coveredSpans(db));
    const connections = deriveConnections(
      hosts.filter((one) => book.component(one.component.id)?.retired === false),
      around,
    );
    const inside = containersOf(look, refsOf(plan, applied), book);
    const relations = [...parts, ...inside, ...hosting, ...connections.relations];
    const relationsSeen = applyRelations(db, look, planRelations(book, relations, isNewcomer), nameOf);
    for (const one of hosting) if (seen.has(one.to)) lookedAt.add(one.from);

    const news = [...applied.news, ...placed.applied.news];
    const retired = [...applied.retired, ...placed.applied.retired];
    if (listings.length === 0) return { news, unmatched: [], retired };

    const after = readEstate(db);
    const hypervisorOf = new Map(
      after.relations.flatMap((one) => (one.type === "hosted-by" ? [[one.fromId, one.toId] as const] : [])),
    );
    const gone = planAbsence(after.components, listings, {
      sourceId: look.observer.sourceId,
      seen: new Set([...seen, ...placed.running]),
      unlisted: plan.unread,
      refused,
      hypervisorOf,
    });
    retired.push(...applyAbsence(db, after, look, gone, news));
    const left = new Set(retired);
    const ended = planRelationAbsence(
      after.relations.filter((one) => !left.has(one.fromId) && !left.has(one.toId)),
      lookedAt,
      relationsSeen,
      (one) =>
        one.type === "runs-on" && one.seenBy !== ""
          ? one.seenBy === look.observer.label
          : one.seenBy !== SPANS && !isByHand(one.seenBy) && !isOfPlatform(one.seenBy),
      (id) => after.component(id)?.hostId ?? null,
      look.atMs,
    );
    applyRelationAbsence(db, look, ended, nameOf);
    const unmatched = [...placed.unmatched(look.sinceMs, book), ...connections.notes, ...unknownOf(plan.unknown)];
    return { news, unmatched, retired };
  })();
}

/**
 * Processes in the containers that they run in, where those are known on the same host: by what is told of the process, or
 * else because one container there says that it runs that program. Not everybody who lists processes sees that: only who
 * told of it can say that it is not so any more.
 */
function containersOf(
  { observer, observations }: Look,
  ids: ReadonlyMap<Observation, number>,
  book: EstateBook,
): ObservedRelation[] {
  const running = containersByProgram(book.components);
  return observations.flatMap((observation) => {
    const from = ids.get(observation);
    if (from === undefined) return [];
    const { inContainer, process = "" } = observation;
    const hostId = book.component(from)?.hostId ?? null;
    const to =
      inContainer === undefined
        ? running.get(programKey(hostId, process))
        : book.ofKey(identityKey("container", inContainer).value);
    const container = to == null ? undefined : book.component(to);
    if (!container || container.retired || container.hostId !== hostId) return [];
    return [{ type: "runs-on", from, to: container.id, detail: "", connections: 0, seenBy: observer.label }];
  });
}

const programKey = (hostId: number | null, program: string) => `${hostId} ${program.toLowerCase()}`;

/** The container of each host that runs each program; null where several do, for then nobody knows which it is. */
function containersByProgram(components: readonly KnownComponent[]): ReadonlyMap<string, number | null> {
  const running = new Map<string, number | null>();
  for (const { id, container, hostId, retired, facts } of components) {
    const program = facts[PROGRAM];
    if (container === null || hostId === null || retired || !program) continue;
    const key = programKey(hostId, program);
    running.set(key, running.has(key) ? null : id);
  }
  return running;
}

/** The same where a container is told of alone: what runs on its host is known already. */
function processesInside(db: Db, { observer, observations }: Look, ids: ReadonlyMap<Observation, number>) {
  return observations.flatMap((observation): ObservedRelation[] => {
    const id = ids.get(observation);
    const program = observation.facts[PROGRAM]?.toLowerCase();
    if (observation.container === undefined || !program || id === undefined) return [];
    const hostId = componentById(db, id)?.host_id;
    if (hostId == null) return [];
    const { processes, containers } = runningOn(db, hostId, program, PROGRAM);
    if (containers.length !== 1 || containers[0] !== id) return [];
    return processes.map((from) => ({
      type: "runs-on",
      from,
      to: id,
      detail: "",
      connections: 0,
      seenBy: observer.label,
    }));
  });
}

/** What was told of addresses at which nobody is known. */
const unknownOf = (unknown: readonly Observation[]): TakenIn["unmatched"] =>
  unknown.slice(0, MOST_UNKNOWN).map((one) => ({
    componentId: null,
    address: one.address ?? "",
    title: one.address ?? one.name,
    detail: `Nobody is known there; it is called ${Object.values(one.ownFacts ?? {}).join(", ") || one.name}.`,
  }));

function inventoriesOf(db: Db, book: EstateBook, seen: ReadonlySet<number>, atMs: number): InventoriedHost[] {
  return book.components.flatMap((component) => {
    if (component.retired || component.hostId !== null || !isHostLike(component.kind) || !component.address) return [];
    const inventory = inventoryAt(db, component.id, atMs);
    return inventory ? [{ component, inventory, seen: seen.has(component.id) }] : [];
  });
}

/** Tells which machines are hosts that were read, and takes in those known from below only. */
function placeMachines(db: Db, look: Look, book: EstateBook, hosts: readonly InventoriedHost[]) {
  const ofKey = (key: string) => {
    const id = book.ofKey(key);
    return id === undefined ? undefined : book.component(id);
  };
  const placement = deriveGuests(hosts, (key) => ofKey(key)?.retired === true);
  const guests: Look = { ...look, observations: [...placement.observations.values()] };
  const plan = planEstate(book, guests);
  const applied: Applied = applyPlan(db, book, guests, plan);
  const idOf = (machine: (typeof placement.machines)[number]) => {
    if (machine.hostId !== null) return machine.hostId;
    const observation = placement.observations.get(machine);
    const ref = observation && plan.refs.get(observation);
    return ref === undefined ? undefined : applied.idOf(ref);
  };
  const seenNow = new Set(hosts.filter((one) => one.seen).map((one) => one.component.id));
  const seenBelow = placement.machines.filter((one) => seenNow.has(one.hypervisor));
  const below = new Map(hosts.map((one) => [one.component.id, one.component]));
  return {
    placement,
    applied,
    idOf,
    /** Machines that run by what a hypervisor says that was read in this look. */
    running: seenBelow.flatMap((machine) =>
      machine.guest.state === "running" || machine.hostId === null ? (idOf(machine) ?? []) : [],
    ),
    unmatched: (sinceMs: number, after: EstateBook): Note[] =>
      seenBelow.flatMap((machine) => {
        const id = machine.hostId === null ? idOf(machine) : undefined;
        const known = id === undefined ? undefined : after.component(id);
        const hypervisor = below.get(machine.hypervisor) as KnownComponent;
        if (!known || known.validFrom < sinceMs) return [];
        const { guest } = machine;
        return [
          {
            componentId: known.id,
            address: hypervisor.address ?? "",
            title: guest.name,
            detail: `A virtual machine on ${hypervisor.name} that no source reaches${guest.physAddresses.length ? ` (hardware address ${guest.physAddresses.join(", ")})` : ""}. Add a range if it is yours.`,
          },
        ];
      }),
  };
}

/** What is around hosts: their parts, those nobody could read, what sources look at. */
export function neighbourhoodOf(
  book: EstateBook,
  readHosts: ReadonlySet<number>,
  spans: readonly AddressSpan[],
): Neighbourhood {
  const partOf = new Map<string, number>();
  const named = new Map<string, number>();
  const unreadHosts: { id: number; address: string }[] = [];
  for (const one of book.components) {
    if (one.retired) continue;
    if (one.hostId !== null) {
      if (one.process !== null) partOf.set(`${one.hostId}|${one.process}`, one.id);
      continue;
    }
    named.set(one.name, one.id);
    if (one.address !== null && !readHosts.has(one.id)) unreadHosts.push({ id: one.id, address: one.address });
  }
  const listening = (hostId: number, listener: string) => {
    const host = book.component(hostId);
    for (const key of host?.keys ?? []) {
      const id = book.ofKey(`listen:${key}:${listener}`);
      const part = id === undefined ? undefined : book.component(id);
      if (part && !part.retired && part.hostId === hostId) return part.id;
    }
    return undefined;
  };
  return {
    nameOf: (id) => book.component(id)?.name ?? `component ${id}`,
    partOf: (host, { part, listener }) =>
      (part === null ? undefined : partOf.get(`${host}|${part}`)) ??
      (listener === undefined ? undefined : listening(host, listener)),
    hostNamed: (name) => named.get(name),
    isCovered: (address) => inSpans(address, spans),
    isKnown: (address) => {
      const id = book.ofKey(`addr:${address}`);
      return id !== undefined && book.component(id)?.retired === false;
    },
    unreadHosts,
  };
}

/** Every address that some source looks at. */
const coveredSpans = (db: Db): AddressSpan[] =>
  listSources(db).flatMap(({ kind, settings }) =>
    (driverOf(kind).listings?.(settings) ?? []).flatMap((one) => (one.what === "addresses" ? one.spans : [])),
  );

/** Takes in a look at a few things, none of which are hosts that tell of others; call inside a transaction. */
export function takeInFew(db: Db, look: Look): Applied & { ids: Map<Observation, number> } {
  const known = new StoredEstate(db);
  const plan = planEstate(known, look);
  const applied = applyPlan(db, known, look, plan);
  const relations = plan.runsOn.map(({ part, host }): ObservedRelation => ({
    type: "runs-on",
    from: applied.idOf(part),
    to: applied.idOf(host),
    detail: "",
    connections: 0,
    seenBy: "",
  }));
  const ids = refsOf(plan, applied);
  relations.push(...processesInside(db, look, ids));
  applyRelations(
    db,
    look,
    planRelations(known, relations, () => true),
    String,
  );
  return { ...applied, ids };
}

const refsOf = (plan: Plan, applied: Applied): Map<Observation, number> =>
  new Map([...plan.refs].map(([observation, ref]) => [observation, applied.idOf(ref)]));

/**
 * Takes in relations that somebody saw between known components; call inside a transaction. Returns how many are new.
 */
export function takeInRelations(db: Db, look: Look, relations: readonly ObservedRelation[]): number {
  const plan = planRelations(new StoredEstate(db), relations, () => false);
  applyRelations(db, look, plan, String);
  return plan.filter((one) => one.id === undefined).length;
}

/**
 * Takes in the silence of things that are listened to; call inside a transaction. Returns what left the estate by it.
 */
export function takeInSilence(
  db: Db,
  look: Look,
  silent: ReadonlySet<number>,
  why?: string,
  news: News[] = [],
): number[] {
  if (silent.size === 0) return [];
  const known = new StoredEstate(db);
  const components = [...silent]
    .flatMap((id) => [id, ...known.partsOf(id)])
    .map((id) => known.component(id) as KnownComponent);
  const none = new Set<number>();
  const gone = planAbsence(components, [{ what: "these", ids: silent, atOnce: true, ...(why ? { why } : {}) }], {
    sourceId: look.observer.sourceId,
    seen: none,
    unlisted: none,
    refused: new Set(),
    hypervisorOf: new Map(),
  });
  return applyAbsence(db, known, look, gone, news);
}
