import type { Draft } from "./recognise";

/** A component the estate already holds, as far as reconciliation needs it. */
export interface Known {
  id: number;
  kind: string;
  name: string;
  keys: string[];
  facts: Record<string, string>;
  /** Retired components are found again when they come back. */
  retired: boolean;
}

export interface FactChange {
  fact: string;
  before: string | undefined;
  after: string | undefined;
}

export type Reconciled =
  | { outcome: "new"; draft: Draft; reason: string }
  | { outcome: "back"; draft: Draft; id: number; changes: FactChange[]; reason: string }
  | { outcome: "changed"; draft: Draft; id: number; changes: FactChange[]; reason: string }
  | { outcome: "same"; draft: Draft; id: number; reason: string };

/** Facts that vary from one look to the next and are no change worth telling. */
const RESTLESS = new Set(["open ports", "agent"]);

/**
 * Matches drafts with known components by their identity keys, strongest key first; a key claimed twice in one
 * sweep goes to the first claimant. Kind and name count as facts so that a thing recognised better is a change.
 */
export function reconcile(drafts: readonly Draft[], known: readonly Known[]): Reconciled[] {
  const byKey = new Map<string, Known>();
  for (const component of known) for (const key of component.keys) if (!byKey.has(key)) byKey.set(key, component);
  const taken = new Set<number>();
  return drafts.map((draft) => {
    for (const key of draft.keys) {
      const match = byKey.get(key);
      if (!match || taken.has(match.id)) continue;
      taken.add(match.id);
      const changes = draft.outside && isRead(match) ? [] : compareFacts(match, draft);
      const reason = `same ${key.split(":")[0]} “${key.slice(key.indexOf(":") + 1)}”`;
      if (match.retired) return { outcome: "back", draft, id: match.id, changes, reason };
      return changes.length
        ? { outcome: "changed", draft, id: match.id, changes, reason }
        : { outcome: "same", draft, id: match.id, reason };
    }
    return {
      outcome: "new",
      draft,
      reason: draft.hostKey
        ? "no known process of that host has this name or these ports"
        : "nothing known has this host name or address",
    };
  });
}

/** Whether its system was read by SNMP before. */
export const isRead = (component: Pick<Known, "facts">) => component.facts["object id"] !== undefined;

function compareFacts(before: Known, after: Draft): FactChange[] {
  const changes: FactChange[] = [];
  if (before.kind !== after.kind) changes.push({ fact: "kind", before: before.kind, after: after.kind });
  if (before.name !== after.name) changes.push({ fact: "name", before: before.name, after: after.name });
  for (const fact of new Set([...Object.keys(before.facts), ...Object.keys(after.facts)])) {
    if (RESTLESS.has(fact)) continue;
    if (before.facts[fact] !== after.facts[fact])
      changes.push({ fact, before: before.facts[fact], after: after.facts[fact] });
  }
  return changes;
}
