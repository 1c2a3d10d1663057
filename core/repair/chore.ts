import { z } from "zod";
import { ROLE_IDS } from "../people/rights";
import { namesIn, unfilled, type Words } from "./fill";
import { limitsSchema } from "./guardrails";
import { LEVELS, type Level } from "./policy";
import type { Parameter } from "./runbook";
import { kindOfTrigger, triggerSchema } from "./triggers/registry";

export type ChoreLevel = Exclude<Level, "propose">;
const WORDS: Readonly<Record<ChoreLevel, string>> = {
  watch: "says what it would do",
  approve: "says what it would do, and asks",
  automatic: "does it",
};
/** How far a chore is trusted. Nothing is proposed here: there is no incident on which somebody would see it. */
export const CHORE_LEVELS = LEVELS.filter((one) => one.id !== "propose").map(({ id, label }) => ({
  id: id as ChoreLevel,
  label,
  words: WORDS[id as ChoreLevel],
}));
const CHORE_LEVEL_IDS = CHORE_LEVELS.map((one) => one.id) as [ChoreLevel, ...ChoreLevel[]];

export const belowChoreLevel = (level: ChoreLevel): ChoreLevel =>
  CHORE_LEVEL_IDS[Math.max(0, CHORE_LEVEL_IDS.indexOf(level) - 1)] ?? "watch";

/** How many steps of trust lie between two levels; negative downwards. */
export const choreStepsUp = (from: ChoreLevel, to: ChoreLevel): number =>
  CHORE_LEVEL_IDS.indexOf(to) - CHORE_LEVEL_IDS.indexOf(from);

export const choreLevelAfter = (level: ChoreLevel): ChoreLevel =>
  CHORE_LEVEL_IDS[CHORE_LEVEL_IDS.indexOf(level) + 1] ?? level;

const texts = (most = 40) => z.array(z.string().min(1).max(80)).max(most).default([]);

/** Upkeep of the estate: a runbook that is run where and when it is due, whatever else happens. */
export const choreSchema = z.strictObject({
  name: z.string().trim().min(1, "Give it a name.").max(80, "A name has at most 80 characters."),
  isOn: z.boolean().default(true),
  level: z.enum(CHORE_LEVEL_IDS).default("watch"),
  trigger: triggerSchema,
  /** Uid of the runbook. */
  runbook: z.string("Choose the runbook.").min(1, "Choose the runbook.").max(41),
  /** Arguments, with {{due.instance}} and the like where the trigger knows them. */
  args: z.record(z.string().max(40), z.string().max(200)).default({}),
  /** Patterns of kinds; those that the runbook is for where there are none. */
  kinds: texts(),
  /** Only members of this collection. */
  collection: z.string().max(80).default(""),
  /** Uids; any service where there are none. */
  services: texts(100),
  sites: texts(100),
  /** Of what is due at once, so many at a time, until this share has failed. */
  atOnce: z.number().int().min(1).max(50).default(1),
  failedPercent: z.number().min(0).max(100).default(0),
  /** What could not be done for so long after it came due is left to the next time. */
  withinMinutes: z.number().int().min(5, "At least 5 minutes.").max(10_080).default(240),
  /** Also on what an open incident is about. */
  duringIncidents: z.boolean().default(false),
  approver: z.enum(ROLE_IDS).default("responder"),
  limits: limitsSchema.prefault({
    mostAnHour: { runbook: 100, component: 2, service: 20, estate: 100 },
    coolDownMinutes: 60,
  }),
});
export type Chore = z.infer<typeof choreSchema>;

/** What is wrong with a chore for its runbook, by field. */
export function choreProblems(chore: Chore, parameters: readonly Pick<Parameter, "name" | "label">[]) {
  const problems: Record<string, string> = {};
  const known = new Set([...kindOfTrigger(chore.trigger.type).fills, ...TARGET_WORDS]);
  for (const { name, label } of parameters) {
    const text = (chore.args[name] ?? "").trim();
    const strange = namesIn(text).find((one) => !known.has(one));
    if (text === "") problems[`args.${name}`] = `Say what ${label} is filled with.`;
    else if (strange !== undefined)
      problems[`args.${name}`] =
        `{{${strange}}} is not known here; use ${[...known].map((one) => `{{${one}}}`).join(", ")}.`;
  }
  const strange = Object.keys(chore.args).find((name) => !parameters.some((one) => one.name === name));
  if (strange !== undefined) problems.args = `The runbook has no parameter “${strange}”.`;
  return problems;
}
const TARGET_WORDS = ["target.name", "target.host", "target.address", "target.site", "target.kind"];

/** Names in the arguments that nothing is known of. */
export const missingWords = (chore: Chore, words: Words): string[] =>
  Object.values(chore.args).flatMap((text) => unfilled(text, words));
