import { metricTitle } from "../catalogue/metrics";
import type { ThresholdRule, ThresholdVerdict } from "../detection/threshold";
import { formatValue } from "../units/format";

/** The text of an alarm: what is measured, against which limit, over how many samples. */
export function alarmText(rule: ThresholdRule, verdict: ThresholdVerdict, instance: string, unit: string): string {
  if (rule.metric === "reachable")
    return `Does not answer: ${Math.round((1 - verdict.mean) * verdict.samples)} of the last ${verdict.samples} polls or reports did not come`;
  const over = verdict.samples > 1 ? ` (mean of ${verdict.samples} samples)` : "";
  return `${metricTitle(rule.metric, instance)} at ${formatValue(verdict.mean, unit)}${over}, ${rule.direction} the limit of ${formatValue(verdict.limit, unit).replace(".0 ", " ")}`;
}

export function clearedText(rule: ThresholdRule, verdict: ThresholdVerdict, instance: string, unit: string): string {
  if (rule.metric === "reachable") return "Answers again";
  return `${metricTitle(rule.metric, instance)} is back in bounds: ${formatValue(verdict.mean, unit)}`;
}
