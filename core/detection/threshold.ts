import { severityRank, type Severity } from "../alarms/severity";

/** One limit of a threshold rule. */
export interface Limit {
  severity: Exclude<Severity, "cleared">;
  value: number;
}

/** A fixed threshold on the mean of the last samples of a series. */
export interface ThresholdRule {
  id: number;
  metric: string;
  /** Kinds it applies to: an exact kind, or a family such as `host.*`. */
  kind: string;
  direction: "above" | "below";
  limits: Limit[];
  /** How many samples the mean is taken over. */
  samples: number;
  /** How far the mean must come back before a limit is left, in the metric's unit. */
  hysteresis: number;
  /** Samples older than this many milliseconds do not count towards the mean. */
  memoryMs: number;
}

export interface ThresholdState {
  severity: Severity;
  values: number[];
  times: number[];
}

export const freshThresholdState = (): ThresholdState => ({ severity: "cleared", values: [], times: [] });

export interface ThresholdVerdict {
  severity: Severity;
  /** Mean the verdict rests on. */
  mean: number;
  /** The limit that is broken; when none is any more, the one just left. */
  limit: number;
  samples: number;
}

/**
 * Takes one sample in and returns a verdict when the severity changes. A limit is broken when the mean of the last
 * `samples` values passes it, and left only when the mean comes back by the hysteresis; too few values give no verdict.
 * `state` is changed in place.
 */
export function judgeSample(
  rule: ThresholdRule,
  state: ThresholdState,
  atMs: number,
  value: number,
): ThresholdVerdict | undefined {
  if (!Number.isFinite(value)) return undefined;
  state.values.push(value);
  state.times.push(atMs);
  while (state.values.length > rule.samples || (state.times[0] as number) < atMs - rule.memoryMs) {
    state.values.shift();
    state.times.shift();
  }
  if (state.values.length < rule.samples) return undefined;
  let sum = 0;
  for (const one of state.values) sum += one;
  const mean = sum / state.values.length;
  const severity = severityOfMean(rule, state.severity, mean);
  if (severity === state.severity) return undefined;
  const shown = severity === "cleared" ? state.severity : severity;
  const limit = rule.limits.find((one) => one.severity === shown)?.value ?? Number.NaN;
  state.severity = severity;
  return { severity, mean, limit, samples: rule.samples };
}

function severityOfMean(rule: ThresholdRule, current: Severity, mean: number): Severity {
  const sign = rule.direction === "above" ? 1 : -1;
  let worst: Severity = "cleared";
  for (const limit of rule.limits) {
    const held = severityRank(current) >= severityRank(limit.severity);
    // A limit already broken lets go only past the hysteresis; one not yet broken takes hold at its value.
    const edge = held ? sign * limit.value - rule.hysteresis : sign * limit.value;
    const broken = held ? sign * mean > edge : sign * mean >= edge;
    if (broken && severityRank(limit.severity) > severityRank(worst)) worst = limit.severity;
  }
  return worst;
}
