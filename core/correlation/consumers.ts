/** What one of several takes of something they share, before it went wrong and since. */
export interface Consumer {
  node: string;
  before: number;
  now: number;
}

/** Of all that came on top, so much must be one's alone to speak against it. */
const MOST_OF_IT = 0.5;

/**
 * The one that takes most of what came on top: what uses as much as ever is no reason for a shortage, however much that
 * is. Undefined where nobody's use grew so.
 * @param least growth that is worth a word, in the unit of the consumers
 * @returns its share of all growth, 0.5 to 1
 */
export function grownMost(consumers: readonly Consumer[], least: number): { node: string; share: number } | undefined {
  const growth = consumers.map(({ node, before, now }) => ({ node, by: Math.max(0, now - before) }));
  const all = growth.reduce((sum, one) => sum + one.by, 0);
  const most = growth.reduce<(typeof growth)[number] | undefined>(
    (best, one) => (best && best.by >= one.by ? best : one),
    undefined,
  );
  if (!most || most.by < least || most.by < MOST_OF_IT * all) return undefined;
  return { node: most.node, share: most.by / all };
}
