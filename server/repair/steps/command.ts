import { holds } from "#core/repair/expression";
import { commandLine, type CommandStep } from "#core/repair/steps/command";
import { scopeOf } from "../figures";
import { commandAt } from "../over-ssh";
import type { TakeStep } from "./taker";

/** What conditions see of the output, from its beginning. */
const MOST_SEEN = 65_536;

export const takeCommand: TakeStep<CommandStep> = async (step, context) => {
  const line = commandLine(step.argv, context.words, step.as);
  context.note({ command: line });
  let output = "";
  const print = (text: string) => {
    if (output.length < MOST_SEEN) output += text.slice(0, MOST_SEEN - output.length);
    context.print(text);
  };
  const result = await commandAt({ ...context, print }, step.at ?? "target", line, step.timeoutSeconds);
  context.note({ exitCode: result.exitCode });
  if (result.failure) return result.failure;
  if (!step.accept.includes(result.exitCode ?? -1)) return `The command ended with exit code ${result.exitCode}.`;
  if (step.expect !== undefined && !holds(step.expect, { ...scopeOf(context), output }))
    return `${step.expect} does not hold of what it printed.`;
  return undefined;
};
