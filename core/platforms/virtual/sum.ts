/** The sum of something of each. */
export const addUp = <One>(list: readonly One[], of: (one: One) => number): number =>
  list.reduce((sum, one) => sum + of(one), 0);
