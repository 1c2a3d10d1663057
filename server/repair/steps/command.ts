import { commandLine, type CommandStep } from "#core/repair/steps/command";
import { commandAt } from "../over-ssh";
import type { TakeStep } from "./taker";

export const takeCommand: TakeStep<
  Pick<CommandStep, "argv" | "as" | "at" | "accept" | "timeoutSeconds"> & CommandStep
> = async (step, context) => {
  const line = commandLine(step.argv, context.words, step.as);
  context.note({ command: line });
  const result = await commandAt(context, step.at ?? "target", line, step.timeoutSeconds);
  context.note({ exitCode: result.exitCode });
  if (result.failure) return result.failure;
  return step.accept.includes(result.exitCode ?? -1)
    ? undefined
    : `The command ended with exit code ${result.exitCode}.`;
};
