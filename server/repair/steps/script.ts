import { createHash, randomBytes } from "node:crypto";
import { scriptLine, type ScriptStep } from "#core/repair/steps/script";
import { commandAt } from "../over-ssh";
import type { TakeStep } from "./taker";

export const takeScript: TakeStep<ScriptStep> = async (step, context) => {
  const content = Buffer.from(step.text, "utf8");
  const sha256 = createHash("sha256").update(content).digest("hex");
  const path = `/tmp/holotaxis-${randomBytes(12).toString("hex")}`;
  const line = scriptLine(path, step, context.words);
  context.note({ command: `${line}   # SHA-256 ${sha256}` });
  const result = await commandAt(context, "target", line, step.timeoutSeconds, { path, content, sha256 });
  context.note({ exitCode: result.exitCode });
  if (result.failure) return result.failure;
  return step.accept.includes(result.exitCode ?? -1)
    ? undefined
    : `The script ended with exit code ${result.exitCode}.`;
};
