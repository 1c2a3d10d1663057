import type { RelationType } from "../catalogue/kinds";

/** Relations that a person can make: where something runs and what enters a service is not a matter of opinion. */
export const HAND_RELATIONS = [
  "talks-to",
  "stored-on",
  "wired-to",
  "hosted-by",
] as const satisfies readonly RelationType[];

/** What stands before the name of whoever made a relation, where others say which source saw it; no look ends one. */
export const BY_HAND = "by hand";
export const isByHand = (seenBy: string): boolean => seenBy.startsWith(BY_HAND);
