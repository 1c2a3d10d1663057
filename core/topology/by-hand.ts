import type { RelationType } from "../catalogue/kinds";

/** Relations that a person can make: where something runs and what enters a service is not a matter of opinion. */
export const HAND_RELATIONS = [
  "talks-to",
  "stored-on",
  "wired-to",
  "hosted-by",
] as const satisfies readonly RelationType[];
