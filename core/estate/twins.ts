import { evidenceOf, weigh } from "./identity";
import type { Observation } from "./observation";
import type { PinOf } from "./pins";

/**
 * Brings observations of one look into an order of their own and makes one of those that share a strong key: one host
 * reached by two addresses is one host. Machines with different hardware under one name stay two. What has no strong
 * key is what has its address or port.
 */
export function mergeTwins(observations: readonly Observation[], pinOf: PinOf = () => undefined): Observation[] {
  let list = mergeOnce(observations, pinOf);
  // What two became may be a third.
  for (let before = observations.length; list.length < before;) {
    before = list.length;
    list = mergeOnce(list, pinOf);
  }
  return list;
}

function mergeOnce(observations: readonly Observation[], pinOf: PinOf): Observation[] {
  const sorted = observations.map((one) => ({ one, by: sortKey(one) })).sort(inOrder);
  const byKey = new Map<string, Observation>();
  const result: Observation[] = [];
  const into = new Map<Observation, number>();
  const byPin = new Map<number, Observation>();
  for (const { one } of sorted) {
    const strong = one.keys.filter((key) => key.strength > 1);
    const pin = pinOf(one);
    const others = new Set((strong.length ? strong : one.keys).flatMap((key) => byKey.get(key.value) ?? []));
    const [likest] = [...others]
      .filter(
        (other) =>
          mayBeOne(other, one) &&
          // What a person put apart stays two.
          (pin === undefined || (pinOf(other) ?? pin) === pin),
      )
      .map((other) => ({ other, balance: weigh(evidence(other), evidence(one)).balance }))
      .sort((a, b) => b.balance - a.balance);
    const twin = (pin === undefined ? undefined : byPin.get(pin)) ?? likest?.other;
    const place = twin === undefined ? undefined : into.get(twin);
    if (place === undefined) {
      into.set(one, result.push(one) - 1);
      if (pin !== undefined && !byPin.has(pin)) byPin.set(pin, one);
      for (const key of one.keys) if (!byKey.has(key.value)) byKey.set(key.value, one);
      continue;
    }
    const merged = merge(result[place] as Observation, one);
    result[place] = merged;
    into.set(merged, place);
    const both = pinOf(merged);
    if (both !== undefined) byPin.set(both, merged);
    for (const key of merged.keys)
      if (key.strength > 1 || !byKey.has(key.value) || byKey.get(key.value) === twin) byKey.set(key.value, merged);
  }
  return result;
}

interface Sorted {
  one: Observation;
  by: string;
}

const inOrder = (a: Sorted, b: Sorted): number =>
  a.by < b.by ? -1 : a.by > b.by ? 1 : a.one === b.one ? 0 : compare(restOf(a.one), restOf(b.one));
const compare = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);

/** The deepest first, then by what they are known by. */
function sortKey(one: Observation): string {
  let by = `${5 - one.depth}|${one.of ?? 0}|${one.host === undefined ? "" : "id" in one.host ? one.host.id : one.host.key}`;
  for (const key of one.keys) by += `|${3 - key.strength}${key.value}`;
  return by;
}

/** What parts those that are known by the same. */
const restOf = (one: Observation): string => JSON.stringify([one.name, one.kind.is, one.facts, one.port ?? 0]);

/** Hardware addresses that say something: not the ones every machine has. */
const hardwareOf = (one: Observation): string[] =>
  (one.inventory?.interfaces ?? [])
    .map((row) => row.physAddress.toLowerCase())
    .filter((address) => address !== "" && !/^(00:)+00$/.test(address));

function mayBeOne(a: Observation, b: Observation): boolean {
  const [left, right] = [hardwareOf(a), hardwareOf(b)];
  const apart = left.length > 0 && right.length > 0 && !left.some((address) => right.includes(address));
  return !apart && (a.host !== undefined || weigh(evidence(a), evidence(b)).same);
}

const evidence = (one: Observation) =>
  evidenceOf(
    one.keys.map((key) => key.value),
    "",
  );

/** The deeper or earlier observation with the keys of both. */
function merge(first: Observation, second: Observation): Observation {
  const has = new Set(first.keys.map((key) => key.value));
  return {
    ...first,
    keys: [...first.keys, ...second.keys.filter((key) => !has.has(key.value))],
    ...(first.partsListed || second.partsListed ? { partsListed: true } : {}),
  };
}
