import type { Observation } from "./observation";

/**
 * Brings observations of one look into an order of their own and makes one of those that share a strong key: one host
 * reached by two addresses is one host. Machines with different hardware under one name stay two. What has no strong
 * key is what has its address or port.
 */
export function mergeTwins(observations: readonly Observation[]): Observation[] {
  const sorted = [...observations]
    .map((one) => ({ one, by: sortKey(one) }))
    .sort((a, b) => (a.by < b.by ? -1 : a.by > b.by ? 1 : 0));
  const byKey = new Map<string, Observation>();
  const result: Observation[] = [];
  const into = new Map<Observation, number>();
  for (const { one } of sorted) {
    const strong = one.keys.filter((key) => key.strength > 1);
    const twin = (strong.length ? strong : one.keys)
      .map((key) => byKey.get(key.value))
      .find((other) => other !== undefined && mayBeOne(other, one));
    const place = twin === undefined ? undefined : into.get(twin);
    if (place === undefined) {
      into.set(one, result.push(one) - 1);
      for (const key of one.keys) if (!byKey.has(key.value)) byKey.set(key.value, one);
      continue;
    }
    const merged = merge(result[place] as Observation, one);
    result[place] = merged;
    into.set(merged, place);
    for (const key of merged.keys)
      if (key.strength > 1 || !byKey.has(key.value) || byKey.get(key.value) === twin) byKey.set(key.value, merged);
  }
  return result;
}

const sortKey = (one: Observation): string =>
  JSON.stringify([
    5 - one.depth,
    one.of ?? 0,
    one.host ?? null,
    one.keys.map((key) => `${3 - key.strength}${key.value}`),
    one.name,
    one.kind.is,
    one.facts,
  ]);

/** Hardware addresses that say something: not the ones every machine has. */
const hardwareOf = (one: Observation): string[] =>
  (one.inventory?.interfaces ?? [])
    .map((row) => row.physAddress.toLowerCase())
    .filter((address) => address !== "" && !/^(00:)+00$/.test(address));

function mayBeOne(a: Observation, b: Observation): boolean {
  const [left, right] = [hardwareOf(a), hardwareOf(b)];
  return left.length === 0 || right.length === 0 || left.some((address) => right.includes(address));
}

/** The deeper or earlier observation with the keys of both. */
function merge(first: Observation, second: Observation): Observation {
  const has = new Set(first.keys.map((key) => key.value));
  return {
    ...first,
    keys: [...first.keys, ...second.keys.filter((key) => !has.has(key.value))],
    ...(first.partsListed || second.partsListed ? { partsListed: true } : {}),
  };
}
