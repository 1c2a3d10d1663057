import { isOfPlatform } from "./labels";
import type { KnownEstate, KnownRelation } from "./known";
import type { ObservedRelation } from "./observation";

/** What becomes of each relation that was seen. */
export type RelationPlan = {
  relation: ObservedRelation;
  /** The known relation that it is; undefined for a new one. */
  id: number | undefined;
  /** Relations that it replaces. */
  ended: KnownRelation[];
  /** Whether it is a change worth telling. */
  notable: boolean;
}[];

/**
 * What relations that were seen change. One between components first seen in this look is told with them; an exclusive
 * one ends its like from the same component.
 */
export function planRelations(
  known: KnownEstate,
  relations: readonly ObservedRelation[],
  isNewcomer: (id: number) => boolean,
): RelationPlan {
  const met = new Set<string>();
  return relations.flatMap((relation) => {
    const pair = `${relation.type}|${relation.from}|${relation.to}`;
    const key = `${pair}|${relation.detail}`;
    if (met.has(key) || (relation.unlessKnown && met.has(pair))) return [];
    met.add(key).add(pair);
    const same = known.relationsFrom(relation.from, relation.type);
    const others = same.some((one) => one.toId === relation.to && one.detail !== relation.detail);
    if (relation.unlessKnown && others) return [];
    const id = known.relation(relation.type, relation.from, relation.to, relation.detail)?.id;
    const ended = relation.exclusive
      ? same.filter((one) => one.toId !== relation.to && isOfPlatform(one.seenBy) === isOfPlatform(relation.seenBy))
      : [];
    const news = ended.length > 0 || (id === undefined && relation.tell !== undefined);
    return [
      {
        relation,
        id,
        ended,
        notable: news && (ended.length > 0 || !(isNewcomer(relation.from) || isNewcomer(relation.to))),
      },
    ];
  });
}
