import { metricInfo, metricTitle } from "../catalogue/metrics";
import { formatValue } from "../units/format";

/** What a threshold found, as far as the sentence about it goes. */
export interface ThresholdFacts {
  metric: string;
  instance: string;
  unit: string;
  direction: "above" | "below";
  /** Mean the verdict rests on. */
  mean: number;
  /** The limit that is broken; when none is any more, the one just left. */
  limit: number;
  samples: number;
}

const RUNNING = "process.running";
const isReachability = (metric: string) => metricInfo(metric).uses === "reach";

/** The text of an alarm: what is measured, against which limit, over how many samples. */
export function thresholdText({ metric, instance, unit, direction, mean, limit, samples }: ThresholdFacts): string {
  if (isReachability(metric))
    return `Not responding: ${Math.round((1 - mean) * samples)} of the last ${samples} polls or reports were missed`;
  if (metric === RUNNING)
    return `Not running: not among the processes of its host in ${Math.round((1 - mean) * samples)} of the last ${samples} polls`;
  const over = samples > 1 ? ` (mean of ${samples} samples)` : "";
  return `${metricTitle(metric, instance)} at ${formatValue(mean, unit)}${over}, ${direction} the limit of ${formatValue(limit, unit).replace(".0 ", " ")}`;
}

export function clearedText({ metric, instance, unit, mean }: ThresholdFacts): string {
  if (isReachability(metric)) return "Responding again";
  if (metric === RUNNING) return "Running again";
  return `${metricTitle(metric, instance)} is back within limits: ${formatValue(mean, unit)}`;
}
