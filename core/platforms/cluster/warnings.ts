import type { WarningObject } from "./objects";

const doublings = (times: number) => (times > 0 ? Math.floor(Math.log2(times)) : -1);

/**
 * What is told of a warning: when it comes, and again each time it has come twice as often. Undefined where it is no news.
 * @param before the same warning as it was known
 */
export function newsOfWarning(now: WarningObject, before: WarningObject | undefined): string | undefined {
  const was = before?.uid === now.uid ? before.times : 0;
  if (doublings(now.times) === doublings(was)) return undefined;
  const why = now.message ? `${now.reason}, ${now.message}` : now.reason;
  return `${now.about.name}: ${why}${now.times > 1 ? ` (${now.times} times)` : ""}`;
}
