import { z } from "zod";
import { fillText, unfilled, type Words } from "../fill";
import { common, timeout } from "./step";

const COPIES = /^[+-]?\d{1,4}$/;
const scaled = {
  /** "4", or "+1" and "-1" for more and fewer than now; may be an argument. */
  to: z.string("Say how many.").min(1, "Say how many.").max(60).meta({ title: "Copies: 4, +1 or -1" }),
  /** Never fewer, never more, whatever is asked. */
  least: z.number().int().min(0).max(1000).default(1).meta({ title: "At least" }),
  most: z.number().int().min(0).max(1000).default(20).meta({ title: "At most" }),
  timeoutSeconds: timeout(60),
};
export const undoScale = z.strictObject({ type: z.literal("scale"), ...scaled });
export const scaleStep = z.strictObject({ type: z.literal("scale"), ...common, ...scaled, undo: undoScale.optional() });
export type ScaleStep = z.infer<typeof scaleStep>;

/** How many copies are wanted then; a sentence where that cannot be told or goes too far. */
export function copiesWanted(
  { to, least, most }: Pick<ScaleStep, "to" | "least" | "most">,
  now: number,
  words: Words,
): { copies: number } | { problem: string } {
  const text = fillText(to, words).trim();
  if (!COPIES.test(text)) return { problem: `“${text}” is no number of copies. Write 4, +1 or -1.` };
  const copies = /^[+-]/.test(text) ? now + Number(text) : Number(text);
  if (copies < least) return { problem: `${copies} copies are fewer than ${least}, so it was left at ${now}.` };
  if (copies > most) return { problem: `${copies} copies are more than ${most}, so it was left at ${now}.` };
  return { copies };
}

/** How many copies of a workload its platform runs. */
export const scale = {
  type: "scale",
  label: "Scale",
  about: "Has the platform run more or fewer copies of a workload. What there were before is kept as copies_before.",
  acts: true,
  texts: (step: ScaleStep) => [step.to, ...(step.undo ? [step.undo.to] : [])],
  words: (step: z.infer<typeof undoScale>, words: Words) =>
    `to ${fillText(step.to, words)} copies, ${step.least} to ${step.most} at most`,
  problems: (step: ScaleStep) => [
    ...(step.least > step.most ? ["At least is more than at most."] : []),
    ...[step.to, ...(step.undo ? [step.undo.to] : [])]
      .filter((text) => unfilled(text, {}).length === 0 && !COPIES.test(text.trim()))
      .map((text) => `“${text}” is no number of copies. Write 4, +1 or -1.`),
  ],
};
