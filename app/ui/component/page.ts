import type { Answer } from "#server/pages/registry";

/** Everything about a component, as its page shows it. */
export type ComponentData = NonNullable<Answer<"component">>;
