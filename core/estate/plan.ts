import { likenessOf, NO_SITE, sortOf, speaksAgainst, trustOf } from "./identity";
import type { KnownComponent, KnownEstate } from "./known";
import { keyInWords, storedKey, type IdentityKey, type Look, type Observation } from "./observation";
import {
  factChanges,
  hasAddressStill,
  isAnothersAddress,
  looksLessDeep,
  newFacts,
  OF_DEEPEST,
  tellerOf,
  type FactChange,
} from "./fact-changes";
import { PLATFORM } from "./labels";
import { pinsOf, type PinOf } from "./pins";
import { mergeTwins } from "./twins";

/** A component of the plan: the id of a known one, or the name of one that the plan makes ("#0"). */
export type Ref = number | string;

/** Something that is to be done to the estate, and why. */
export type Change =
  | {
      what: "new";
      ref: string;
      host: Ref | null;
      name: string;
      observation: Observation;
      /** Those of its keys that are nobody else's. */
      keys: string[];
      reason: string;
    }
  | { what: "changed" | "back"; id: number; facts: FactChange[]; observation: Observation; reason: string }
  /** `id` turned out to be `into`, and passes its keys on. */
  | { what: "joined"; id: number; into: number; keys: string[]; reason: string }
  /** `id` turned out to be a thing of its own again, and takes its keys back. */
  | { what: "split"; id: number; from: number; keys: string[]; reason: string }
  | { what: "missing" | "retired"; id: number; reason: string };

/** What is noted of a known component that was seen; none of it is news. */
export interface Seen {
  id: number;
  observation: Observation;
  kind: string;
  confidence: number;
  name: string;
  /** Why it is of its kind, where this look may say so. */
  reason: string | null;
  /** Others know it better: only that it was seen is taken from this look. */
  shallow: boolean;
  /** It was reached by another of its addresses, and has the one that it is known by still. */
  keepsAddress: boolean;
  /** Keys it did not have. */
  keys: string[];
  /** Facts that are set without a word. */
  quiet: Record<string, string>;
}

/** What is taken of hearsay. */
export interface Heard {
  id: number;
  observation: Observation;
  /** Where nobody knew what it is called. */
  name: string | null;
  /** Keys that are nobody's yet. */
  keys: string[];
  quiet: Record<string, string>;
}

export interface Plan {
  changes: Change[];
  seen: Seen[];
  /** Component of each observation that was taken, and whether it stands for a part of a host. */
  refs: Map<Observation, Ref>;
  /** What is said of known components by who did not look at them. */
  heard: Heard[];
  /** Parts and the host each runs on. */
  runsOn: { part: Ref; host: Ref }[];
  /** Hosts seen from outside only whose system was read before: their parts were not looked at. */
  unread: Set<number>;
  /** Observations of what nobody else knows, which make nothing known. */
  unknown: Observation[];
  /** Observations left out because too many components were new. */
  refused: number;
}

/**
 * What a look changes in the known estate. Keys decide who is who, strong ones before weak ones; the order of the
 * observations does not matter, and the same look again changes nothing. What is absent is judged by `planAbsence`.
 */
export function planEstate(known: KnownEstate, look: Look): Plan {
  const plan: Plan = {
    changes: [],
    seen: [],
    heard: [],
    refs: new Map(),
    runsOn: [],
    unread: new Set(),
    unknown: [],
    refused: 0,
  };
  const work = new Planner(known, look, plan);
  work.takeHosts(
    mergeTwins(
      look.observations.filter((one) => one.host === undefined),
      pinsOf(known),
    ),
  );
  work.takeParts(look.observations.filter((one) => one.host !== undefined));
  return plan;
}

class Planner {
  private readonly taken = new Set<number>();
  /** Keys that known components were seen with. */
  private readonly shown = new Map<number, readonly IdentityKey[]>();
  private readonly claimed = new Set<string>();
  private readonly names = new Set<string>();
  private readonly refOfKey = new Map<string, Ref>();
  private readonly pinOf: PinOf;
  private added = 0;

  constructor(
    private readonly known: KnownEstate,
    private readonly look: Look,
    private readonly plan: Plan,
  ) {
    this.pinOf = pinsOf(known);
  }

  takeHosts(observations: readonly Observation[]): void {
    this.take(observations.map((observation) => ({ observation, host: null })));
  }

  /** Parts of one host are told apart from each other, and never taken for those of another. */
  takeParts(observations: readonly Observation[]): void {
    const grouped = new Map<Ref, Observation[]>();
    for (const observation of observations) {
      const host = this.hostOf(observation);
      if (host === undefined) continue;
      const list = grouped.get(host);
      if (list) list.push(observation);
      else grouped.set(host, [observation]);
    }
    const hosts = [...grouped].map(([host, list]) => ({ host, by: `${host}`, list: mergeTwins(list) }));
    this.take(
      hosts
        .sort((a, b) => (a.by < b.by ? -1 : 1))
        .flatMap(({ host, list }) => list.map((observation) => ({ observation, host }))),
    );
  }

  private take(placed: readonly Placed[]): void {
    const matches = this.match(placed);
    for (const [{ keys }, { id }] of matches) this.shown.set(id, keys);
    for (const { observation, host } of placed) {
      const match = matches.get(observation);
      const ref = match
        ? this.isHearsay(observation, match.id)
          ? this.hear(observation, match.id)
          : this.again(observation, match)
        : this.add(observation, host);
      if (ref === undefined) continue;
      this.plan.refs.set(observation, ref);
      for (const key of observation.keys) if (!this.refOfKey.has(key.value)) this.refOfKey.set(key.value, ref);
      if (host !== null) this.plan.runsOn.push({ part: ref, host });
    }
  }

  /** Undefined for a part whose host is not there, or was read deeper before. */
  private hostOf({ host, depth, readBy }: Observation): Ref | undefined {
    if (host === undefined) return undefined;
    if ("id" in host) return this.known.component(host.id)?.retired === false ? host.id : undefined;
    const ref = this.refOfKey.get(host.key);
    // What a platform tells of is there, whoever reads the host itself, and whenever that was told of.
    if (readBy === PLATFORM) return ref ?? this.presentOf(host.key);
    if (ref === undefined) return undefined;
    const known = typeof ref === "number" && this.plan.unread.has(ref) ? this.known.component(ref) : undefined;
    return known && depth <= known.depth ? undefined : ref;
  }

  private presentOf(key: string): number | undefined {
    const id = this.known.ofKey(key);
    return id !== undefined && this.known.component(id)?.retired === false ? id : undefined;
  }

  /**
   * Who is who: settled ones first, then by strong keys, then what was joined and is apart again, then by weak keys.
   */
  private match(placed: readonly Placed[]): Map<Observation, Match> {
    const found = new Map<Observation, Match>();
    const observations = placed.map(({ observation }) => observation);
    const hostOf = new Map(placed.map(({ observation, host }) => [observation, host]));
    // What has an id of its own in the whole world is itself on any host.
    const mayBe = (one: Observation, key: IdentityKey, owner: KnownComponent) =>
      key.strength === 3 || owner.hostId === (hostOf.get(one) ?? null);
    const settle = (observation: Observation, id: number, match: Omit<Match, "id">) => {
      this.taken.add(id);
      found.set(observation, { id, ...match });
    };
    for (const one of observations)
      if (one.of !== undefined) settle(one, one.of, { reason: "reported by its hypervisor" });
    // What a person said is not weighed.
    for (const one of observations) {
      if (found.has(one)) continue;
      const id = this.pinOf(one);
      const owner = id === undefined || this.taken.has(id) ? undefined : this.known.component(id);
      const key = one.keys.find(({ value }) => owner?.pinned.has(value));
      if (owner && key && owner.hostId === (hostOf.get(one) ?? null))
        settle(one, owner.id, { reason: `${keyInWords(key)}, as a person said` });
    }
    const candidate = (one: Observation, fits: (key: IdentityKey, owner: KnownComponent) => boolean) => {
      const owner = this.best(
        one.keys.filter((key) => {
          const id = this.known.ofKey(key.value);
          const component = id === undefined || this.taken.has(id) ? undefined : this.known.component(id);
          return (
            component !== undefined &&
            mayBe(one, key, component) &&
            fits(key, component) &&
            this.against(one, component).length === 0
          );
        }),
      );
      return owner && { one, owner, likeness: this.likeness(one, owner.id) };
    };
    // Where several could be one, the likest is; the others look for somebody else.
    const pass = (fits: (key: IdentityKey, owner: KnownComponent) => boolean) => {
      let left = observations.filter((one) => !found.has(one));
      while (left.length) {
        const wishes = left.flatMap((one) => candidate(one, fits) ?? []).sort((a, b) => b.likeness - a.likeness);
        left = [];
        for (const { one, owner } of wishes) {
          if (this.taken.has(owner.id)) left.push(one);
          else settle(one, owner.id, { reason: `same ${keyInWords(owner.key)}` });
        }
      }
    };
    pass((key, owner) => key.strength > 1 && !owner.joined.some((one) => one.keys.includes(key.value)));
    for (const one of observations) {
      if (found.has(one)) continue;
      const apart = this.apart(one);
      if (apart) settle(one, apart.joined.id, { reason: `same ${keyInWords(apart.key)}`, splitFrom: apart.from });
    }
    pass((key) => key.strength > 1);
    pass((_key, owner) => !owner.retired || owner.keys.every((one) => storedKey(one).strength === 1));
    return found;
  }

  /** What is said by who did not look says nothing of a site unless it names one. */
  private siteOf({ site, hearsay }: Observation): string {
    return site ?? (hearsay ? NO_SITE : this.look.observer.site);
  }

  private likeness(observation: Observation, id: number): number {
    const known = this.known.component(id) as KnownComponent;
    return observation.host === undefined ? likenessOf(observation, this.siteOf(observation), known) : 0;
  }

  /** What speaks against an observation being a component, by all that is known of both. */
  private against(observation: Observation, component: KnownComponent): string[] {
    const pin = component.pinned.size > 0 ? this.pinOf(observation) : undefined;
    const parted = pin !== undefined && pin !== component.id;
    if (parted) return ["a person's word"];
    if (observation.hearsay === "new" && isAnothersAddress(observation, component)) return ["name"];
    return speaksAgainst(observation, this.siteOf(observation), component);
  }

  /**
   * The component to be taken where keys lead to several: the one that the most trusted key leads to, then the one read
   * deepest, then the one known longest.
   */
  private best(keys: readonly IdentityKey[]): { id: number; key: IdentityKey } | undefined {
    const candidates = [...keys]
      .sort((a, b) => b.strength - a.strength)
      .map((key) => ({
        key,
        component: this.known.component(this.known.ofKey(key.value) as number) as KnownComponent,
      }));
    const strongest = candidates[0]?.key.strength;
    const [first] = candidates
      .filter(({ key }) => key.strength === strongest || (key.strength > 1 && (strongest ?? 0) > 1))
      .sort(
        (a, b) =>
          Number(a.component.retired) - Number(b.component.retired) ||
          trustOf(b.key) - trustOf(a.key) ||
          b.component.depth - a.component.depth ||
          a.component.id - b.component.id ||
          b.key.strength - a.key.strength,
      );
    return first && { id: first.component.id, key: first.key };
  }

  /** A component that was joined to one that is seen beside this observation, and that it was before. */
  private apart({
    keys,
  }: Observation): { joined: { id: number; keys: readonly string[] }; from: number; key: IdentityKey } | undefined {
    for (const key of keys) {
      const from = this.known.ofKey(key.value);
      const owner = from === undefined || !this.taken.has(from) ? undefined : this.known.component(from);
      const joined = owner?.joined.find((one) => one.keys.includes(key.value) && !this.taken.has(one.id));
      if (joined && owner) return { joined, from: owner.id, key };
    }
    return undefined;
  }

  private add(observation: Observation, host: Ref | null): Ref | undefined {
    if (observation.hearsay === "known") {
      this.plan.unknown.push(observation);
      return undefined;
    }
    if (this.look.mostNew !== undefined && this.added >= this.look.mostNew) {
      this.plan.refused++;
      return undefined;
    }
    const ref = `#${this.added++}`;
    const others = new Map<number, string[]>();
    const keys = observation.keys.flatMap((key) => {
      const id = this.known.ofKey(key.value);
      const owner = id === undefined ? undefined : this.known.component(id);
      const free = owner === undefined || (!owner.pinned.has(key.value) && this.mayTake(key, owner));
      if (!free && owner && host === null && key.strength > 1) {
        const against = this.against(observation, owner);
        if (against.length) others.set(owner.id, against);
      }
      return free ? [key.value] : [];
    });
    for (const key of keys) this.claimed.add(key);
    const twins = [...others]
      .map(([id, against]) => `it is not ${this.known.component(id)?.name}: other ${against.join(", ")}`)
      .join("; ");
    const reason =
      host === null
        ? twins || "nothing known has this host name or address"
        : "no known process of that host has this name or these ports";
    this.plan.changes.push({ what: "new", ref, host, name: this.nameFor(observation), observation, keys, reason });
    return ref;
  }

  /** Strong keys stay with whom they belong to as long as it is there; weak ones pass on. */
  private mayTake(key: IdentityKey, owner: KnownComponent): boolean {
    return owner.retired || (key.strength === 1 && !this.look.observer.modest) || this.passesOn(key, owner.id);
  }

  /** An address passes on from who was seen without it; a name, or a part, from who was seen under, or with, another. */
  private passesOn(key: IdentityKey, ownerId: number): boolean {
    const shown = this.shown.get(ownerId);
    if (!shown || shown.some((one) => one.value === key.value) || this.look.observer.modest) return false;
    return key.strength === 1 || (key.strength === 2 && shown.some((one) => sortOf(one) === sortOf(key)));
  }

  private nameFor({ name, nameElse }: Observation): string {
    const chosen =
      nameElse !== undefined && (this.known.nameTaken(name) || this.names.has(name.toLowerCase())) ? nameElse : name;
    this.names.add(chosen.toLowerCase());
    return chosen;
  }

  /** Whether what is said of a component comes from who did not look at it, while others do. */
  private isHearsay({ hearsay }: Observation, id: number): boolean {
    const own = this.known.component(id)?.sourceId === this.look.observer.sourceId;
    return hearsay === "known" || (hearsay === "new" && !own);
  }

  private hear(observation: Observation, id: number): Ref | undefined {
    const before = this.known.component(id) as KnownComponent;
    if (before.retired) return undefined;
    const keys = observation.keys.flatMap(({ value, strength }) =>
      strength > 1 && !this.claimed.has(value) && this.known.ofKey(value) === undefined ? [value] : [],
    );
    for (const key of keys) this.claimed.add(key);
    const unnamed = before.name === before.address;
    this.plan.heard.push({
      id,
      observation,
      name: unnamed && before.name !== observation.name ? observation.name : null,
      keys,
      quiet: newFacts(observation, before),
    });
    return id;
  }

  /** Notes a known component as seen, with what that changes. */
  private again(observation: Observation, match: Match): Ref {
    const { changes, seen, unread } = this.plan;
    const before = this.known.component(match.id) as KnownComponent;
    const shallow = looksLessDeep(observation, before);
    if (shallow && observation.host === undefined) unread.add(before.id);
    const trusts = !shallow && (observation.depth > before.depth || observation.kind.confidence >= before.confidence);
    const kind = trusts ? observation.kind.is : before.kind;
    // What went by its second name keeps it.
    const unnamed = observation.name === observation.address;
    const name = shallow || unnamed || before.name === observation.nameElse ? before.name : observation.name;
    const keepsAddress = hasAddressStill(observation, before);
    const all = factChanges(before, observation, kind, name, this.look.observer.label).filter(
      ({ fact }) => !(keepsAddress && fact === "address"),
    );
    const facts = shallow ? all.filter(({ fact }) => tellerOf(fact) === observation.readBy) : all;
    if (match.splitFrom !== undefined) {
      const keys = this.known.component(match.splitFrom)?.joined.find((one) => one.id === match.id)?.keys ?? [];
      changes.push({
        what: "split",
        id: match.id,
        from: match.splitFrom,
        keys: [...keys],
        reason: `Seen separately: ${match.reason}`,
      });
      for (const key of keys) this.claimed.add(key);
    } else if (before.retired) changes.push({ what: "back", id: before.id, facts, observation, reason: match.reason });
    if (facts.length && (match.splitFrom !== undefined || !before.retired))
      changes.push({ what: "changed", id: before.id, facts, observation, reason: match.reason });
    const keys = this.claim(before, observation, match);
    const quiet = newFacts(observation, before, shallow ? OF_DEEPEST : undefined);
    seen.push({
      id: before.id,
      observation,
      kind,
      confidence: trusts ? observation.kind.confidence : before.confidence,
      name,
      reason: trusts ? observation.kind.reason : null,
      shallow,
      keepsAddress,
      keys,
      quiet,
    });
    return before.id;
  }

  /** Keys that pass to a component, and the components that it turns out to be by them. */
  private claim(own: KnownComponent, observation: Observation, match: Match): string[] {
    const gained: string[] = [];
    for (const key of observation.keys) {
      if (this.claimed.has(key.value)) continue;
      this.claimed.add(key.value);
      const ownerId = this.known.ofKey(key.value);
      if (ownerId === own.id) continue;
      const owner = ownerId === undefined ? undefined : this.known.component(ownerId);
      if (owner?.pinned.has(key.value)) continue;
      if (owner && !owner.retired && match.splitFrom !== owner.id) {
        if (this.taken.has(owner.id)) {
          if (this.passesOn(key, owner.id)) gained.push(key.value);
          continue;
        }
        const only = key.strength > 1 || owner.keys.every((one) => storedKey(one).strength === 1);
        // Parts are told apart on their own host; what people pinned joins nobody by itself.
        const mayJoin = key.strength === 3 || owner.hostId === own.hostId;
        const against = observation.of === undefined ? this.against(observation, owner) : [];
        if (only && (!mayJoin || owner.pinned.size > 0 || against.length > 0)) {
          if (key.strength > 1) continue;
        } else if (only && (owner.hostId === null) === (own.hostId === null)) {
          this.taken.add(owner.id);
          for (const one of owner.keys) this.claimed.add(one);
          const keys = [...owner.keys].sort();
          this.plan.changes.push({
            what: "joined",
            id: owner.id,
            into: own.id,
            keys,
            reason: observation.because ?? `same ${keyInWords(key)}`,
          });
          continue;
        }
        if (this.look.observer.modest) continue;
      }
      gained.push(key.value);
    }
    return gained;
  }
}

interface Placed {
  observation: Observation;
  host: Ref | null;
}

interface Match {
  id: number;
  reason: string;
  splitFrom?: number;
}
