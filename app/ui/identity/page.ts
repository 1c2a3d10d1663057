import type { Answer } from "#server/pages/registry";

/** What the identity page knows. */
export type IdentityData = NonNullable<Answer<"identity">>;
