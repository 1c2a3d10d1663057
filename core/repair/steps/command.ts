import { z } from "zod";
import { conditionProblem } from "../expression";
import { fillText, unfilled, type Words } from "../fill";
import { quoteCommand } from "../quote";
import { common, PLACES, timeout } from "./step";

const words = z
  .array(z.string().min(1, "A word of a command is never empty.").max(500))
  .min(1, "Give the command.")
  .max(40, "At most 40 words.");
const accept = z.array(z.number().int().min(0).max(255)).min(1).default([0]);

const carriedOut = {
  /** Words of the command; `{{name}}` stands for an argument. */
  argv: words.meta({ title: "Command" }),
  /** Another user, by a rule of the target's sudoers; never with a password. */
  as: z
    .string()
    .regex(/^[a-z_][a-z0-9_-]{0,31}$/, "A user has small letters, digits, - and _.")
    .optional()
    .meta({ title: "As user" }),
  at: z.enum(PLACES).default("target").meta({ title: "Where" }),
  /** Exit codes that count as success. */
  accept: accept.meta({ title: "Exit codes that are well" }),
  /** What must hold of the `output`, in CEL, as `output.contains("active")`. */
  expect: z.string().max(500).optional().meta({ title: "Must hold of the output" }),
  timeoutSeconds: timeout(60),
};
export const undoCommand = z.strictObject({ type: z.literal("command"), ...carriedOut });

export const commandStep = z.strictObject({
  type: z.literal("command"),
  ...common,
  ...carriedOut,
  /** A command that only looks, offered where it is not known whether this one was carried out. */
  look: words.optional().meta({ title: "Look with" }),
  undo: undoCommand.optional(),
});
export type CommandStep = z.infer<typeof commandStep>;

/**
 * The command line of words. Arguments are put into single words first and each word is quoted afterwards, so no argument
 * can become a second word or be expanded by the shell. Another user is taken on by `sudo -n`, which never asks.
 */
export function commandLine(argv: readonly string[], args: Words, as?: string): string {
  const filled = argv.map((word) => fillText(word, args));
  return quoteCommand(as === undefined ? filled : ["sudo", "-n", "-u", as, "--", ...filled]);
}

/** A command over SSH. */
export const command = {
  type: "command",
  label: "Command",
  about: "Carries a command out over SSH. Every word reaches the program exactly as it stands.",
  acts: true,
  texts: (step: CommandStep) => [...step.argv, ...(step.look ?? []), ...(step.undo?.argv ?? [])],
  words: (step: CommandStep, args: Words) =>
    step.argv.some((word) => unfilled(word, args).length > 0)
      ? step.argv.map((word) => fillText(word, args)).join(" ")
      : commandLine(step.argv, args, step.as),
  problems: (step: CommandStep) =>
    [step.expect, step.undo?.expect].flatMap((one) => (one === undefined ? [] : (conditionProblem(one) ?? []))),
};
