import type { RelationType } from "../catalogue/kinds";
import type { Label } from "./labels";
import type { AddressSpan } from "./ranges";
import type { SystemSighting } from "./sighting";

/**
 * How strongly a key tells one thing from all others: 3 in the whole world (a UUID), 2 in this estate (a host name, a
 * process on a host), 1 for what passes from one thing to another in time (an address, a port).
 */
export type Strength = 1 | 2 | 3;

export interface IdentityKey {
  /** Kind of key and what it says, "name:web-01.example". */
  value: string;
  strength: Strength;
}

const STRENGTHS = {
  uuid: 3,
  native: 3,
  container: 3,
  machine: 2,
  serial: 2,
  mac: 2,
  hostkey: 2,
  name: 2,
  process: 2,
  guest: 2,
  addr: 1,
  listen: 1,
} as const;
export type KeyKind = keyof typeof STRENGTHS;

export const identityKey = (kind: KeyKind, value: string): IdentityKey => ({
  value: `${kind}:${value}`,
  strength: STRENGTHS[kind],
});

/** A key as the store has it. Kinds of later versions count as weak. */
export function storedKey(value: string): IdentityKey {
  const kind = value.slice(0, value.indexOf(":"));
  return { value, strength: kind in STRENGTHS ? STRENGTHS[kind as KeyKind] : 1 };
}

const KINDS_IN_WORDS: Readonly<Record<string, string>> = {
  machine: "machine UUID",
  serial: "serial number",
  mac: "hardware address",
  hostkey: "SSH host key",
  addr: "address",
  listen: "listener",
  uuid: "UUID",
  native: "id on its platform",
};

/** "name “web-01.example”": a key as a reason shows it. */
export const keyInWords = ({ value }: Pick<IdentityKey, "value">): string => {
  const kind = value.slice(0, value.indexOf(":"));
  return `${KINDS_IN_WORDS[kind] ?? kind} “${value.slice(kind.length + 1)}”`;
};

/**
 * How deep an observer looked: from outside (0), told of by something on or below it (1), its own system read (2), with
 * whose each socket is (3), by somebody on it who sees everything (4).
 */
export type Depth = 0 | 1 | 2 | 3 | 4;

/** What one observer says of one thing at one time. */
export interface Observation {
  /** What it can be known by again; may be empty where `of` says which component it is. */
  keys: IdentityKey[];
  /** Set where who it is was settled by other means than keys. */
  of?: number;
  /** Where `of` is set, what it turned out to be and why: "the virtual machine m-1 on virt-01: same name m-1". */
  because?: string;
  kind: { is: string; reason: string; /** 0 to 1. */ confidence: number };
  name: string;
  /** Taken instead of `name` where another present component is called so. */
  nameElse?: string;
  /** For parts: a key of the host in the same look, or the host's id. */
  host?: { key: string } | { id: number };
  /** What runs: the name of a process, or of the software behind a port. */
  process?: string;
  port?: number;
  /** Container id. */
  container?: string;
  /** Of a process: id of the container that it runs in. */
  inContainer?: string;
  /** Name without the host's, as entry points of services know it. */
  label?: string;
  address?: string;
  depth: Depth;
  /** Driver that read its system ("snmp", "agent"); empty from outside. */
  readBy: string;
  facts: Record<string, string>;
  /** Of a host: ports that accept and said nothing this time. */
  silentPorts?: readonly number[];
  /** Facts of this observer alone: set whatever the depth, never taken back by others, no change worth telling. */
  ownFacts?: Record<string, string>;
  /** What it says of who owns it and the like; what people said stays. */
  labels?: readonly Label[];
  /**
   * Who says it did not look: of what others know it adds words only, and it brings nothing back. "new" where it makes
   * things known that nobody knows.
   */
  hearsay?: "new" | "known";
  /** Relations to others, by a key of theirs; all that its observer knows of. */
  relations?: readonly {
    type: RelationType;
    to: string;
    detail: string;
    /** The other is where it begins. */ back?: boolean;
  }[];
  /** Where it stands, by who knows better than where the observer is. */
  site?: string;
  /** The tables a host showed. */
  inventory?: SystemSighting;
  /** Its parts were listed in full. */
  partsListed?: boolean;
  /** It listens, and nothing that was asked answered: what its ports told before is not taken back. */
  isSilent?: boolean;
}

/** Who observes. */
export interface Observer {
  /** Source it belongs to; null where none does. */
  sourceId: number | null;
  /** As the change log names it: "sweep of North Quay". */
  label: string;
  site: string;
  /** Claims weak keys only where they are free. */
  modest?: boolean;
}

export interface ObservedRelation {
  type: RelationType;
  from: number;
  to: number;
  detail: string;
  connections: number;
  seenBy: string;
  /** Words of the change when it is new between components known before; none where it goes without saying. */
  tell?: string;
  /** From one component there is one of these at a time: others end by it. */
  exclusive?: boolean;
  /** Passed over where any relation of the type joins the two already. */
  unlessKnown?: boolean;
}

/** What one observer saw in one look. */
export interface Look {
  observer: Observer;
  atMs: number;
  /** When the look began: what was first seen since then is a newcomer. */
  sinceMs: number;
  observations: readonly Observation[];
  /** Components that may still be added; further ones are left out and counted. */
  mostNew?: number;
}

/** What an observer listed in full, so that absence from it means gone. */
export type Listing =
  /** Every address of the spans was tried; of the observer's own source. */
  | { what: "addresses"; spans: readonly AddressSpan[] }
  /** Everything that this observer's own source knows of. */
  | { what: "own" }
  /** What runs on every host of the look that listed its parts. */
  | { what: "parts" }
  /** Just these are being listened to, and silence of one of them is an answer. */
  | { what: "these"; ids: ReadonlySet<number>; atOnce: boolean; /** Why they are gone, as a sentence. */ why?: string };
