import { kindInfo } from "../catalogue/kinds";
import type { RelationType } from "../catalogue/kinds";
import { groupBy } from "../units/group";

/** A relation with how well it is known. */
export interface Evidence {
  type: RelationType;
  from: number;
  to: number;
  detail: string;
  /** "both", "caller", "listener" or "spans": who saw it. */
  seenBy: string;
  intermittent: boolean;
}

export interface Candidate {
  id: number;
  name: string;
  kind: string;
  hostId: number | null;
  label: string | null;
  /** Services that it is a member of already. */
  services: readonly string[];
  /** Services that it is an entry point of. */
  entryOf: readonly string[];
}

/** What may belong to an application, and why. */
export interface ProposedMember {
  id: number;
  /** Steps from an entry point; what only talks to a member comes after it. */
  tier: number;
  why: string;
  /** Why it may not belong, as a sentence; empty where nothing speaks against it. */
  doubt: string;
  /** Something leads to it; else it only works on what the application works on. */
  isReached: boolean;
  /** Whether it is taken unless somebody says otherwise. */
  taken: boolean;
}

const isStore = (kind: string) => kindInfo(kind).stratum === "data";

/** "gate-web-01" as a pattern for it and its like: "gate-web-*". */
export const patternOfName = (name: string): string => name.replaceAll(/\d+/g, "*");

/**
 * A whole application from its entry points: every tier that is reached by talking to it, and whatever works on the same
 * stores and queues though nobody calls it. Whatever is less than certain says why.
 */
export function proposeApplication(
  entries: readonly number[],
  relations: readonly Evidence[],
  candidate: (id: number) => Candidate | undefined,
): ProposedMember[] {
  const talks = relations.filter((one) => one.type === "talks-to");
  const out = groupBy(talks, (one) => one.from);
  const into = groupBy(talks, (one) => one.to);
  const found = new Map<number, ProposedMember>();
  const nameOf = (id: number) => candidate(id)?.name ?? `component ${id}`;
  for (const id of entries)
    found.set(id, { id, tier: 0, why: "an entry point", doubt: "", isReached: true, taken: true });
  const waiting = [...entries];
  for (let at = 0; at < waiting.length; at++) {
    const id = waiting[at] as number;
    const tier = (found.get(id) as ProposedMember).tier;
    for (const one of out.get(id) ?? []) {
      if (found.has(one.to) || !candidate(one.to)) continue;
      const { entryOf } = candidate(one.to) as Candidate;
      const doubt = entryOf.length
        ? `It is where ${entryOf.join(", ")} begins: this service relies on that one.`
        : doubtOf(one, candidate(one.to) as Candidate);
      found.set(one.to, {
        id: one.to,
        tier: tier + 1,
        why: `${nameOf(id)} talks to it on ${one.detail}`,
        doubt,
        isReached: entryOf.length === 0,
        taken: entryOf.length === 0,
      });
      // What is behind another service's entry point is that service's.
      if (entryOf.length === 0) waiting.push(one.to);
    }
  }
  for (const member of Array.from(found.values()))
    if (member.taken && isStore(candidate(member.id)?.kind ?? ""))
      for (const one of into.get(member.id) ?? []) {
        const other = candidate(one.from);
        if (!other || found.has(one.from)) continue;
        const elsewhere = other.services.length > 0;
        found.set(one.from, {
          id: one.from,
          tier: member.tier + 1,
          why: `it works on ${nameOf(member.id)} too`,
          doubt: elsewhere
            ? `It belongs to ${other.services.join(", ")} already.`
            : "Nobody of this application calls it: a batch worker, or another application on the same store.",
          isReached: false,
          taken: !elsewhere,
        });
      }
  return [...found.values()].sort((a, b) => a.tier - b.tier || a.id - b.id);
}

function doubtOf(one: Evidence, to: Candidate): string {
  if (to.hostId === null) return "Only the host is known, not which of its programs is meant.";
  if (one.intermittent) return "The connection comes and goes.";
  if (one.seenBy === "caller" || one.seenBy === "listener")
    return `Only the ${one.seenBy === "caller" ? "calling" : "called"} side shows the connection.`;
  return "";
}

/** Components that do the same on hosts that are named alike, and are called by the same. */
export interface RedundantSet {
  label: string;
  hosts: string;
  members: number[];
}

/** Sets of members that stand in for each other: one program on hosts named alike. */
export function redundantSets(
  members: readonly number[],
  candidate: (id: number) => Candidate | undefined,
): RedundantSet[] {
  const sets = new Map<string, RedundantSet>();
  for (const id of members) {
    const one = candidate(id);
    const host = one?.hostId == null ? undefined : candidate(one.hostId);
    if (!one?.label || !host) continue;
    const hosts = patternOfName(host.name);
    const key = `${one.label} ${hosts}`;
    const set = sets.get(key);
    if (set) set.members.push(id);
    else sets.set(key, { label: one.label, hosts, members: [id] });
  }
  return [...sets.values()].filter((set) => set.members.length > 1);
}
