import { z } from "zod";
import { conditionProblem } from "../expression";
import { innerSteps } from "./inner";
import { common } from "./step";

export const chooseStep = z.strictObject({
  type: z.literal("choose"),
  ...common,
  /** In CEL, over args, values, target and figure("metric"). */
  if: z.string("Write the condition.").min(1, "Write the condition.").max(500).meta({ title: "If" }),
  do: innerSteps,
  otherwise: innerSteps.default([]),
});
export type ChooseStep = z.infer<typeof chooseStep>;

export const choose = {
  type: "choose",
  label: "Choose",
  about: "Goes one way or the other, by a condition.",
  acts: false,
  texts: () => [],
  words: (step: ChooseStep) => `if ${step.if}`,
  problems: (step: ChooseStep) => [conditionProblem(step.if) ?? []].flat(),
};
