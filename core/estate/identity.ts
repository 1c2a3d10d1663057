import type { KnownComponent } from "./known";
import type { IdentityKey, KeyKind, Observation } from "./observation";

/**
 * What tells hosts apart, the most trusted first: a machine's own numbers, its hardware addresses, its SSH host key,
 * its name, its address. Every one of them can be wrong by itself (machines are cloned, renamed, rebuilt and moved), so
 * a key decides only where the others do not outweigh it.
 */
const WEIGHT: Readonly<Partial<Record<KeyKind, number>>> = {
  machine: 4,
  serial: 4,
  mac: 3,
  hostkey: 3,
  name: 2,
  addr: 1,
};
type Sort = "machine" | "serial" | "mac" | "hostkey" | "name" | "addr";
const SORTS = Object.keys(WEIGHT) as Sort[];

const WORDS: Readonly<Record<Sort, string>> = {
  machine: "machine UUID",
  serial: "serial number",
  mac: "hardware addresses",
  hostkey: "SSH host key",
  name: "host name",
  addr: "address",
};

/** Order in which keys are believed where they lead to several components. */
const TRUST: readonly KeyKind[] = ["uuid", "container", "machine", "serial", "mac", "hostkey"];
export const trustOf = (key: IdentityKey): number => {
  const rank = TRUST.indexOf(kindOf(key.value));
  return rank < 0 ? 0 : TRUST.length - rank;
};

/** What sort of key it is: a name, a hardware address and so on. */
export const sortOf = ({ value }: IdentityKey): KeyKind => kindOf(value);

const kindOf = (key: string) => key.slice(0, key.indexOf(":")) as KeyKind;

/** What is known of a host by sort of evidence. */
export type Evidence = Readonly<Partial<Record<Sort, ReadonlySet<string>>>> & { site: string };

export function evidenceOf(keys: readonly string[], site: string): Evidence {
  const found: Partial<Record<Sort, Set<string>>> = {};
  for (const key of keys) {
    const kind = kindOf(key) as Sort;
    if (!(kind in WORDS)) continue;
    (found[kind] ??= new Set()).add(key.slice(kind.length + 1));
  }
  return { ...found, site };
}

export interface Weighed {
  same: boolean;
  /** Above 0 where more speaks for it than against it. */
  balance: number;
  /** Sorts of evidence that speak for and against it, in words. */
  alike: string[];
  unlike: string[];
}

/** Senders that say no site. */
export const NO_SITE = "no site";

/**
 * Whether two are one host by all that is known of both. The same name at the same address is the same host, whatever
 * of it was replaced: nobody else can be there. A name without a domain means something within its site only.
 */
export function weigh(a: Evidence, b: Evidence): Weighed {
  let balance = 0;
  const alike: string[] = [];
  const unlike: string[] = [];
  const has = new Set<Sort>();
  for (const sort of SORTS) {
    const [left, right] = [a[sort], b[sort]];
    if (!left?.size || !right?.size) continue;
    const same = sort === "name" ? sameName(left, right) : [...left].some((one) => right.has(one));
    const weight = WEIGHT[sort] as number;
    // To have an address in common says more than to have none: one host has several.
    balance += same ? (sort === "addr" ? 2 : weight) : -weight;
    (same ? alike : unlike).push(WORDS[sort]);
    if (same) has.add(sort);
  }
  if (a.site !== b.site && a.site !== NO_SITE && b.site !== NO_SITE && has.has("name") && !has.has("addr")) {
    balance -= [...(a.name ?? [])].every((name) => name.includes(".")) ? 1 : 2;
    unlike.push("site");
  }
  return { same: (has.has("name") && has.has("addr")) || balance >= 0, balance, alike, unlike };
}

/** "web-01" and "web-01.example" are one name; so are names of one host before and after a change. */
const sameName = (left: ReadonlySet<string>, right: ReadonlySet<string>): boolean =>
  [...left].some((a) => [...right].some((b) => a === b || a.startsWith(`${b}.`) || b.startsWith(`${a}.`)));

const weighKnown = (observation: Observation, site: string, known: KnownComponent): Weighed =>
  weigh(
    evidenceOf(
      observation.keys.map((key) => key.value),
      site,
    ),
    evidenceOf(known.keys, known.site),
  );

/** How much more speaks for an observation being a known component than against it. */
export const likenessOf = (observation: Observation, site: string, known: KnownComponent): number =>
  weighKnown(observation, site, known).balance;

/** Whether an observation may be a known component by all but the key that led to it. */
export function speaksAgainst(observation: Observation, site: string, known: KnownComponent): string[] {
  if (observation.host !== undefined || known.hostId !== null) return [];
  const { same, unlike } = weighKnown(observation, site, known);
  return same ? [] : unlike;
}

/**
 * Hardware addresses that are a machine's own: not those of bridges, tunnels and pairs that software makes up, nor the
 * ones that redundant routers share (RFC 5798).
 */
export const isOwnHardware = (name: string, address: string): boolean =>
  /^([0-9a-f]{2}:){5}[0-9a-f]{2}$/.test(address) &&
  !/^(00:){5}|^ff:ff|^02:42:|^00:00:5e:00:0[12]:/.test(address) &&
  !/^(lo|vnet|tun|tap|wg|dummy|ifb)/.test(name) &&
  !isInside(name);

/** Bridges and pairs for containers and machines inside a host: on many hosts they have the same addresses. */
export const isInside = (interfaceName: string): boolean =>
  /^(docker|br-|virbr|lxcbr|lxdbr|podman|cni|flannel|cali|veth)/.test(interfaceName);
