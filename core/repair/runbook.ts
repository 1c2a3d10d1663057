import { z } from "zod";
import { conditionProblem } from "./expression";
import { namesIn, type Words } from "./fill";
import { insideOf, kindOfStep, stepsSchema, type Step, type StepType } from "./steps/registry";

export type { Step, StepType };
export { fillText } from "./fill";
export { commandLine } from "./steps/command";

const parameterSchema = z.strictObject({
  name: z.string().regex(/^[a-z][a-z0-9_]{0,30}$/, "A name has small letters, digits and _."),
  label: z.string().min(1, "Give it a label.").max(60),
  /** What the whole value must match. */
  pattern: z
    .string()
    .min(1)
    .max(200)
    .refine((text) => patternProblem(text) === undefined, "This is no pattern that can be used.")
    .default("[A-Za-z0-9 ._:/@-]{1,120}"),
  /** What it is filled with when a run is started from an incident. */
  offer: z
    .enum([
      "none",
      "leading-process",
      "listening-process",
      "cause-process",
      "instance",
      "other-site",
      "host-name",
      "setting",
    ])
    .default("none"),
  /** Filled in where nothing else is. */
  usual: z.string().max(200).default(""),
});
export type Parameter = z.infer<typeof parameterSchema>;

function patternProblem(text: string): string | undefined {
  try {
    RegExp(`^(?:${text})$`);
  } catch {
    return "no pattern";
  }
  // A repeated group that holds a repetition can take for ever.
  return /[*+}][^()]*\)[*+{]/.test(text) ? "may take for ever" : undefined;
}

/** What must hold of a target before a run begins. */
const conditionsSchema = z.strictObject({
  /** It responds to polls. */
  responds: z.boolean().default(false),
  /** So many of those that stand in for it must be well. */
  wellSiblings: z.number().int().min(0).max(20).default(0),
  /** In CEL, over args, target and figure("metric"). */
  condition: z
    .string()
    .max(500)
    .default("")
    .superRefine((text, context) => {
      const problem = text === "" ? undefined : conditionProblem(text);
      if (problem !== undefined) context.addIssue({ code: "custom", message: problem });
    }),
});

export const runbookSchema = z
  .strictObject({
    uid: z.string().regex(/^[a-z][a-z0-9-]{1,40}$/, "A short name has small letters, digits and -."),
    name: z.string().trim().min(1, "Give it a name.").max(80),
    purpose: z.string().trim().min(1, "Say what it is for.").max(400),
    /** Kinds of component it can be run on. */
    kinds: z.array(z.string().min(1).max(40)).min(1, "Say which kinds it is for."),
    /** Metrics whose alarm it is a repair of, as patterns; it is offered first for them. */
    fits: z.array(z.string().min(1).max(80)).max(20).default([]),
    /** It takes back what was changed: offered first after such a change of the cause, and not as fitting without one. */
    after: z.enum(["deployment", "change"]).optional(),
    parameters: z.array(parameterSchema).max(10).default([]),
    before: conditionsSchema.default({ responds: false, wellSiblings: 0, condition: "" }),
    /** So long the figures that showed the fault are watched afterwards. */
    proofSeconds: z.number().int().min(0).max(7200).default(120),
    steps: stepsSchema.refine((steps) => steps.length > 0, "A runbook has at least one step."),
  })
  .superRefine((runbook, context) => {
    const names = new Set(runbook.parameters.map((parameter) => parameter.name));
    const walk = (steps: readonly Step[], path: (string | number)[], number: string, depth: number): void => {
      if (depth > MOST_DEPTH)
        return void context.addIssue({ code: "custom", path, message: `Steps are at most ${MOST_DEPTH} deep.` });
      steps.forEach((step, index) => {
        const own = `${number}${index + 1}`;
        const complain = (message: string) =>
          context.addIssue({ code: "custom", path: [...path, index], message: `Step ${own}${message}` });
        const kind = kindOfStep(step.type);
        for (const text of kind.texts(step as never))
          for (const name of namesIn(text)) {
            if (names.has(name) || /^(target\.(name|host|address|site|kind)|values\.[a-z0-9_]+)$/.test(name)) continue;
            complain(` uses {{${name}}}, which is not a parameter of this runbook.`);
          }
        for (const problem of kind.problems?.(step as never) ?? []) complain(`: ${problem}`);
        for (const { branch, steps: inner } of insideOf(step)) {
          if (branch !== "otherwise" && inner.length === 0) complain(" holds no steps.");
          walk(inner, [...path, index, branch === "each" ? "steps" : branch], `${own}.`, depth + 1);
        }
      });
    };
    walk(runbook.steps, ["steps"], "", 1);
  });
const MOST_DEPTH = 4;

export type Runbook = z.infer<typeof runbookSchema>;
export type RunArguments = Words;

/** Checks the arguments of a run; returns a sentence for the first that is wrong. */
export function checkArguments(runbook: Pick<Runbook, "parameters">, args: RunArguments): string | undefined {
  for (const parameter of runbook.parameters) {
    const value = args[parameter.name];
    if (value === undefined || value === "") return `${parameter.label} is missing. Fill it in before starting.`;
    if (value.length > 200) return `${parameter.label} is too long; at most 200 characters.`;
    if (!new RegExp(`^(?:${parameter.pattern})$`).test(value))
      return `${parameter.label} “${value.slice(0, 60)}” has characters that are not allowed here. It must match ${parameter.pattern}.`;
  }
  const known = new Set(runbook.parameters.map((one) => one.name));
  const strange = Object.keys(args).find((name) => !known.has(name));
  return strange === undefined ? undefined : `This runbook has no parameter “${strange}”.`;
}

/** A runbook from its draft to its end: written, tried by its author, approved by a second person, retired. */
export const RUNBOOK_STATES = ["draft", "tried", "approved", "retired"] as const;
export type RunbookState = (typeof RUNBOOK_STATES)[number];

export type StepState =
  | "waiting"
  | "running"
  /** Waits for somebody's approval. */
  | "asking"
  | "passed"
  | "failed"
  /** It failed, and the run went on. */
  | "borne"
  | "stopped"
  | "skipped"
  /** It was cut off: nobody knows whether it was carried out. */
  | "unknown";
export type RunState = "running" | "passed" | "failed" | "stopped";

/** How the figures stood after a run: see `proof.ts`. */
export type Proof = "watching" | "proved" | "eased" | "no effect" | "worse" | "not measured";
