/** What an incident looked like: each thing that was wrong, as "subject nature", and the same by kind of thing. */
export interface Signature {
  /** What was wrong where, exactly: the same service or component again. */
  exact: ReadonlySet<string>;
  /** What was wrong with what kind of thing: the same trouble elsewhere. */
  kinds: ReadonlySet<string>;
}

const jaccard = (a: ReadonlySet<string>, b: ReadonlySet<string>): number => {
  if (!a.size || !b.size) return 0;
  let both = 0;
  for (const one of a) if (b.has(one)) both++;
  return both / (a.size + b.size - both);
};

/** How alike two incidents were, 0 to 1: the same places count for more than the same kinds of places. */
export const likeness = (a: Signature, b: Signature): number =>
  0.7 * jaccard(a.exact, b.exact) + 0.3 * jaccard(a.kinds, b.kinds);

/** The most alike of past incidents, at least so alike, best first; of equals the later. */
export function mostAlike<T extends { signature: Signature; openedMs: number }>(
  own: Signature,
  past: readonly T[],
  least = 0.25,
  most = 3,
): (T & { alike: number })[] {
  return past
    .map((one) => ({ ...one, alike: likeness(own, one.signature) }))
    .filter((one) => one.alike >= least)
    .sort((a, b) => b.alike - a.alike || b.openedMs - a.openedMs)
    .slice(0, most);
}
