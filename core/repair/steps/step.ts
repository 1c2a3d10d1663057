import { z } from "zod";
import type { Words } from "../fill";

/** What happens when a step fails for good: the run ends, goes on all the same, or is taken back. */
export const ON_FAILURE = ["stop", "continue", "rollback"] as const;
export type OnFailure = (typeof ON_FAILURE)[number];

/** Where a step acts: on the target, or on something beside it that carries or connects it. */
export const PLACES = ["target", "switch", "site-switch", "hypervisor"] as const;
export type Place = (typeof PLACES)[number];
export const PLACE_WORDS: Readonly<Record<Place, string>> = {
  target: "the target",
  switch: "the switch it is wired to",
  "site-switch": "a switch of its site that responds",
  hypervisor: "the hypervisor it runs on",
};

export const title = z
  .string("Say in a few words what the step does.")
  .trim()
  .min(1, "Say in a few words what the step does.")
  .max(120)
  .meta({ title: "Title" });

/** What every step has. */
export const common = {
  title,
  onFailure: z
    .enum(ON_FAILURE)
    .default("stop")
    .meta({ title: "When it fails", choices: ["stop the run", "go on", "roll back what was done"] }),
  retries: z.number().int().min(0).max(5).default(0).meta({ title: "Retries" }),
};
export const timeout = (usual: number, most = 3600) =>
  z
    .number()
    .min(1, "At least 1 second.")
    .max(most, `At most ${most} seconds.`)
    .default(usual)
    .meta({ title: "Time-out", unit: "s" });

/** A kind of step. A new one is a file and a line in the register. */
export interface StepKind {
  type: string;
  label: string;
  /** What it is for, in a sentence. */
  about: string;
  /** It changes something outside: it is not begun again by itself when it was cut off, and a dry run only says it. */
  acts: boolean;
  /** Everything in it that may hold placeholders. */
  texts(step: never): readonly string[];
  /** What it does with every word filled in. */
  words(step: never, words: Words): string;
  /** Why it is not carried out with these words, as a sentence. */
  refuses?(step: never, words: Words): string | undefined;
  /** What is wrong with it beyond its schema, as sentences. */
  problems?(step: never): readonly string[];
}
