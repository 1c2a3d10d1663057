import { z } from "zod";
import { innerSteps } from "./inner";
import { common } from "./step";

export const OVER = ["targets", "set", "rest-of-set", "collection"] as const;
export type Over = (typeof OVER)[number];
export const OVER_WORDS: Readonly<Record<Over, string>> = {
  targets: "every target of the run",
  set: "the target and those that stand in for it",
  "rest-of-set": "those that stand in for the target",
  collection: "the members of a collection",
};

export const eachStep = z.strictObject({
  type: z.literal("each"),
  ...common,
  over: z.enum(OVER).default("set").meta({ title: "Over" }),
  collection: z.string().max(80).optional().meta({ title: "Collection" }),
  atOnce: z.number().int().min(1).max(50).default(1).meta({ title: "At once" }),
  /** Stops when more than this share has failed; 0 stops at the first failure. */
  failedPercent: z.number().min(0).max(100).default(0).meta({ title: "Failures borne", unit: "%" }),
  steps: innerSteps,
});
export type EachStep = z.infer<typeof eachStep>;

export const each = {
  type: "each",
  label: "Each of",
  about: "Does its steps for several components, so many at a time.",
  acts: false,
  texts: () => [],
  words: (step: EachStep) =>
    `${step.over === "collection" ? `the members of ${step.collection ?? "?"}` : OVER_WORDS[step.over]}, ${step.atOnce} at a time, ${step.failedPercent === 0 ? "until the first failure" : `until more than ${step.failedPercent} % failed`}`,
  problems: (step: EachStep) =>
    step.over === "collection" && !step.collection ? ["Say which collection it goes over."] : [],
};
