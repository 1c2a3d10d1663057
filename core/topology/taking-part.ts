/** What needs some components, one step away: pairs of who needs and what is needed. */
export type NeedersOf = (ids: readonly number[]) => Iterable<readonly [needer: number, needed: number]>;

export interface TakingPart {
  /** What is taken for the cause, likeliest first. */
  causes: readonly number[];
  /** What is hurt. */
  hurt: readonly number[];
  needersOf: NeedersOf;
  /** Components at most. */
  most: number;
  /** Steps from a cause to what it hurts, at most. */
  steps?: number;
}

const STEPS = 6;
const MOST_SEEN = 5000;

/**
 * The components that tell how trouble came from its causes to what is hurt: those themselves, and what lies on a
 * shortest way from a cause to each, along the need and breadth first. Ways go over what takes part already where they
 * can, so that as little as possible is added; where there is not room for all, what is farther is left out.
 */
export function takingPart({ causes, hurt, needersOf, most, steps = STEPS }: TakingPart): Set<number> {
  const part = new Set([...new Set([...causes, ...hurt])].slice(0, most));
  for (const cause of causes) {
    const before = waysFrom(cause, new Set(hurt), needersOf, steps);
    for (const end of hurt)
      for (const id of wayBack(end, before, part)) {
        if (part.size >= most) return part;
        part.add(id);
      }
  }
  return part;
}

/** For each component that a cause can come to, those from which it does so in the fewest steps. */
function waysFrom(cause: number, ends: ReadonlySet<number>, needersOf: NeedersOf, steps: number) {
  const before = new Map<number, number[]>([[cause, []]]);
  const waiting = new Set(ends);
  waiting.delete(cause);
  let front = [cause];
  for (let step = 0; step < steps && front.length && waiting.size && before.size < MOST_SEEN; step++) {
    const next = new Map<number, number[]>();
    for (const [needer, needed] of needersOf(front)) {
      if (before.has(needer)) continue;
      const known = next.get(needer);
      if (known) known.push(needed);
      else next.set(needer, [needed]);
    }
    for (const [id, froms] of next) {
      before.set(id, froms);
      waiting.delete(id);
    }
    front = [...next.keys()];
  }
  return before;
}

/** What lies between the end of a way and its beginning, over what takes part already where there is a choice. */
function wayBack(end: number, before: ReadonlyMap<number, readonly number[]>, part: ReadonlySet<number>): number[] {
  const way: number[] = [];
  for (let at = end; ;) {
    const froms = before.get(at);
    if (!froms?.length) return way;
    at = froms.find((id) => part.has(id)) ?? (froms[0] as number);
    way.push(at);
  }
}
