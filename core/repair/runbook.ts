import { z } from "zod";
import { quoteCommand } from "./quote";

const commandStep = z.strictObject({
  type: z.literal("command"),
  title: z.string().min(1).max(120),
  /** Words of the command; `{{name}}` stands for an argument. */
  argv: z.array(z.string().min(1).max(500)).min(1).max(40),
  timeoutSeconds: z.number().min(1).max(3600).default(60),
  /** Exit codes that count as success. */
  accept: z.array(z.number().int().min(0).max(255)).default([0]),
});
const waitStep = z.strictObject({
  type: z.literal("wait"),
  title: z.string().min(1).max(120),
  seconds: z.number().min(0).max(3600),
});
const checkStep = z.strictObject({
  type: z.literal("check"),
  title: z.string().min(1).max(120),
  metric: z.string().min(1).max(80),
  instance: z.string().max(120).default(""),
  is: z.enum(["below", "above"]),
  value: z.number(),
  /** Mean over this many samples taken since the run started. */
  meanOf: z.number().int().min(1).max(60).default(1),
  timeoutSeconds: z.number().min(1).max(7200).default(300),
});
const noteStep = z.strictObject({
  type: z.literal("note"),
  title: z.string().min(1).max(120),
  text: z.string().min(1).max(2000),
});

export const stepSchema = z.discriminatedUnion("type", [commandStep, waitStep, checkStep, noteStep]);
export type Step = z.infer<typeof stepSchema>;
export type StepType = Step["type"];

const parameterSchema = z.strictObject({
  name: z.string().regex(/^[a-z][a-z0-9_]{0,30}$/),
  label: z.string().min(1).max(60),
  /** What the whole value must match. */
  pattern: z.string().min(1).max(200),
  /** What is offered when started from an alarm. */
  offer: z.enum(["leading-process", "listening-process", "none"]).default("none"),
});

export const runbookSchema = z
  .strictObject({
    uid: z.string().regex(/^[a-z][a-z0-9-]{1,40}$/),
    name: z.string().min(1).max(80),
    purpose: z.string().min(1).max(400),
    /** Kinds of component it can be run on. */
    kinds: z.array(z.string().min(1).max(40)).min(1),
    parameters: z.array(parameterSchema).max(10),
    steps: z.array(stepSchema).min(1).max(40),
  })
  .superRefine((runbook, context) => {
    const names = new Set(runbook.parameters.map((parameter) => parameter.name));
    runbook.steps.forEach((step, index) => {
      const texts = step.type === "command" ? step.argv : step.type === "note" ? [step.text] : [];
      for (const text of texts)
        for (const [, name] of text.matchAll(PLACEHOLDER))
          if (!names.has(name as string))
            context.addIssue({
              code: "custom",
              path: ["steps", index],
              message: `Step ${index + 1} uses {{${name}}}, which is not a parameter of this runbook.`,
            });
    });
  });

export type Runbook = z.infer<typeof runbookSchema>;
export type RunArguments = Readonly<Record<string, string>>;

const PLACEHOLDER = /\{\{\s*([a-z][a-z0-9_]*)\s*\}\}/g;

/** Puts arguments into a text that people read. */
export function fillText(template: string, args: RunArguments): string {
  return template.replace(PLACEHOLDER, (_, name: string) => args[name] ?? `{{${name}}}`);
}

/**
 * The command line of a command step. Arguments are put into single words first and each word is quoted afterwards, so
 * no argument can become a second word or be expanded by the shell.
 */
export function commandLine(argv: readonly string[], args: RunArguments): string {
  return quoteCommand(argv.map((word) => fillText(word, args)));
}

/** Checks the arguments of a run; returns a sentence for the first that is wrong. */
export function checkArguments(runbook: Pick<Runbook, "parameters">, args: RunArguments): string | undefined {
  for (const parameter of runbook.parameters) {
    const value = args[parameter.name];
    if (value === undefined || value === "") return `${parameter.label} is missing. Fill it in before starting.`;
    if (value.length > 200) return `${parameter.label} is too long; at most 200 characters.`;
    if (!new RegExp(`^(?:${parameter.pattern})$`).test(value))
      return `${parameter.label} “${value.slice(0, 60)}” has characters that are not allowed here. It must match ${parameter.pattern}.`;
  }
  return undefined;
}

export type StepState = "waiting" | "running" | "passed" | "failed" | "stopped" | "skipped";
export type RunState = "running" | "passed" | "failed" | "stopped";
