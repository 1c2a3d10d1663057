import { z } from "zod";
import { metricTitle } from "../../catalogue/metrics";
import { conditionProblem } from "../expression";
import { fillText, type Words } from "../fill";
import { common, timeout } from "./step";

export const checkStep = z.strictObject({
  type: z.literal("check"),
  ...common,
  /** A figure of the target, or a condition in its place. */
  metric: z.string().min(1).max(80).optional().meta({ title: "Figure" }),
  instance: z.string().max(120).default("").meta({ title: "Instance" }),
  is: z.enum(["below", "above"]).default("below").meta({ title: "Must be" }),
  value: z.number().default(0).meta({ title: "Value" }),
  /** Mean over this many samples taken since the run started. */
  meanOf: z.number().int().min(1).max(60).default(1).meta({ title: "Mean of" }),
  /** In CEL, over args, values, target and figure("metric"). */
  condition: z.string().max(500).optional().meta({ title: "Or a condition" }),
  timeoutSeconds: timeout(300, 7200),
});
export type CheckStep = z.infer<typeof checkStep>;

export const check = {
  type: "check",
  label: "Check",
  about: "Waits until a figure of the target is within a limit, or a condition holds.",
  acts: false,
  texts: (step: CheckStep) => [step.instance],
  words: (step: CheckStep, words: Words) => {
    const within = `within ${Math.max(1, Math.round(step.timeoutSeconds / 60))} min`;
    if (step.metric === undefined) return `${step.condition ?? ""}, ${within}`;
    const mean = step.meanOf > 1 ? `, mean of ${step.meanOf} new samples` : ", a new sample";
    return `${metricTitle(step.metric, fillText(step.instance, words))} ${step.is} ${step.value}${mean}, ${within}`;
  },
  problems: (step: CheckStep) =>
    step.condition !== undefined
      ? [conditionProblem(step.condition) ?? []].flat()
      : step.metric === undefined
        ? ["Say which figure is checked, or write a condition."]
        : [],
};
