import type { RelationType } from "#core/catalogue/kinds";
import type { KnownEstate } from "#core/estate/known";
import type { Look, Observation, ObservedRelation } from "#core/estate/observation";
import { planRelations } from "#core/estate/relations";
import type { Db } from "../store/database";
import { insertChange } from "../store/changes";
import { endRelation, relationsSeenBy } from "../store/relations";
import { applyRelations } from "./apply";

/** What changes say of relations that came and ended: "web-01 no longer is hosted by virt-02". */
const WORDS: Readonly<Record<RelationType, string>> = {
  "runs-on": "runs on",
  "hosted-by": "is hosted by",
  "talks-to": "talks to",
  "part-of": "is part of",
  "stored-on": "is stored on",
  "wired-to": "is connected to",
};

/**
 * Takes in the relations that observations tell of, and ends those that their observer told of before and does not any
 * more; call inside a transaction.
 * @param idOf the component that an observation is
 * @returns observations whose relations lead to something that is not known yet
 */
export function relateObserved(
  db: Db,
  known: KnownEstate,
  look: Look,
  idOf: ReadonlyMap<Observation, number>,
): Observation[] {
  const seenBy = look.observer.label;
  const nameOf = (id: number) => known.component(id)?.name ?? `component ${id}`;
  const unresolved: Observation[] = [];
  const relations: ObservedRelation[] = [];
  const told = new Map<number, Set<string>>();
  for (const [observation, id] of idOf) {
    if (!observation.relations) continue;
    const ends = told.get(id) ?? new Set<string>();
    told.set(id, ends);
    let whole = true;
    for (const { type, to, detail, back } of observation.relations) {
      const other = known.ofKey(to);
      if (other === undefined || known.component(other)?.retired) {
        whole = false;
        continue;
      }
      const [from, onto] = back ? [other, id] : [id, other];
      if (from === onto) continue;
      ends.add(`${type} ${from} ${onto} ${detail}`);
      relations.push({
        type,
        from,
        to: onto,
        detail,
        connections: 0,
        seenBy: back ? fromOtherEnd(seenBy) : seenBy,
        tell: `${nameOf(from)} now ${WORDS[type]} ${nameOf(onto)}`,
        ...(type === "hosted-by" ? { exclusive: true } : {}),
      });
    }
    if (!whole) unresolved.push(observation);
  }
  const isNewcomer = (id: number) => (known.component(id)?.validFrom ?? 0) >= look.sinceMs;
  applyRelations(db, look, planRelations(known, relations, isNewcomer), nameOf);
  for (const [id, ends] of told)
    for (const one of [
      ...relationsSeenBy(db, "from_id", id, seenBy),
      ...relationsSeenBy(db, "to_id", id, fromOtherEnd(seenBy)),
    ]) {
      if (ends.has(`${one.type} ${one.from_id} ${one.to_id} ${one.detail}`)) continue;
      endRelation(db, one.id, look.atMs);
      insertChange(db, {
        atMs: look.atMs,
        kind: "relation",
        componentId: one.from_id,
        summary: `${nameOf(one.from_id)} no longer ${WORDS[one.type]} ${nameOf(one.to_id)}`,
        by: seenBy,
      });
    }
  return unresolved;
}

/** Who told of a relation where it is the other end that tells of it, so that either end ends only its own. */
const fromOtherEnd = (seenBy: string) => `${seenBy}, from the other end`;
