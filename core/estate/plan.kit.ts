import { EstateBook, type KnownComponent } from "./known";
import { isOfPlatform } from "./labels";
import type { Plan } from "./plan";

/** A component as it is when it is met first. */
const freshOf = (
  observation: Extract<Plan["changes"][number], { what: "new" }>["observation"],
  sourceId: number | null,
  site: string,
) => ({
  kind: observation.kind.is,
  confidence: observation.kind.confidence,
  sourceId,
  site,
  pinned: new Map(),
  address: observation.address ?? null,
  process: observation.process ?? null,
  container: observation.container ?? null,
  depth: observation.depth,
  readBy: observation.readBy,
  missed: 0,
  retired: false,
  validFrom: 1_000_000,
  keys: new Set<string>(),
  facts: { ...observation.facts, ...observation.ownFacts },
  joined: [],
});

/** The estate after a plan, as the store would have it. */
export function carryOut(
  book: EstateBook,
  plan: Plan,
  sourceId: number | null = 7,
  site = "Room",
  voice = "",
): EstateBook {
  const tellersOf = (facts: readonly string[]) =>
    Object.fromEntries(facts.flatMap((fact) => (isOfPlatform(fact) && voice ? [[fact, voice]] : [])));
  const components = new Map(book.components.map((one) => [one.id, { ...one, keys: new Set(one.keys) }]));
  let next = Math.max(0, ...components.keys()) + 1;
  const ids = new Map<string, number>();
  const idOf = (ref: number | string) => (typeof ref === "number" ? ref : (ids.get(ref) as number));
  const owners = new Map([...components.values()].flatMap((one) => [...one.keys].map((key) => [key, one.id])));
  const move = (id: number, keys: readonly string[]) => {
    for (const key of keys) {
      components.get(owners.get(key) ?? 0)?.keys.delete(key);
      components.get(id)?.keys.add(key);
      owners.set(key, id);
    }
  };
  const of = (id: number) => components.get(id) as NonNullable<ReturnType<typeof components.get>>;
  for (const change of plan.changes) {
    if (change.what === "new") {
      const { observation } = change;
      ids.set(change.ref, next);
      components.set(next, {
        ...freshOf(observation, sourceId, site),
        id: next,
        name: change.name,
        hostId: change.host === null ? null : idOf(change.host),
        tellers: tellersOf(Object.keys(observation.facts)),
      });
      move(next, change.keys);
      next++;
    } else if (change.what === "joined") {
      for (const one of components.values()) if (one.id === change.id || one.hostId === change.id) one.retired = true;
      move(change.into, change.keys);
      of(change.into).joined = [...of(change.into).joined, { id: change.id, keys: change.keys }];
    } else if (change.what === "split") {
      of(change.id).retired = false;
      of(change.from).joined = of(change.from).joined.filter((one) => one.id !== change.id);
      move(change.id, change.keys);
    } else if (change.what === "changed" || change.what === "back") {
      const facts = { ...of(change.id).facts };
      of(change.id).tellers = {
        ...of(change.id).tellers,
        ...tellersOf(change.facts.flatMap(({ fact, after }) => (after === undefined ? [] : [fact]))),
      };
      for (const { fact, after } of change.facts) {
        if (fact === "kind" || fact === "name") continue;
        if (after === undefined) delete facts[fact];
        else facts[fact] = after;
      }
      of(change.id).facts = facts;
    } else if (change.what === "missing") of(change.id).missed += 1;
    else of(change.id).retired = true;
  }
  for (const { id, name, keys, quiet } of plan.heard) {
    const one = of(id);
    move(id, keys);
    Object.assign(one, { name: name ?? one.name, facts: { ...one.facts, ...quiet } });
  }
  for (const seen of plan.seen) {
    const one = of(seen.id);
    move(seen.id, seen.keys);
    Object.assign(one, { kind: seen.kind, confidence: seen.confidence, name: seen.name, retired: false, missed: 0 });
    one.facts = { ...one.facts, ...seen.quiet };
    if (!seen.shallow)
      Object.assign(one, {
        depth: seen.observation.depth,
        readBy: seen.observation.readBy,
        address: seen.keepsAddress ? one.address : (seen.observation.address ?? one.address),
      });
  }
  return new EstateBook(
    [...components.values()].map((one): KnownComponent => ({ ...one, keys: [...one.keys].sort() })),
    [],
  );
}
