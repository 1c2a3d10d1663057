import { z } from "zod";
import { severityRank, type Severity } from "../alarms/severity";
import { clearedText, thresholdText } from "../alarms/wording";
import { metricTitle } from "../catalogue/metrics";
import { MINUTE_MS } from "../time/windows";
import { formatValue } from "../units/format";
import type { Detector } from "./detector";

/** One limit of a threshold. */
export interface Limit {
  severity: Exclude<Severity, "cleared">;
  value: number;
}

const SEVERITIES = ["critical", "major", "minor", "warning"] as const;

/** A limit that may be left out, as an empty field of a form leaves it. */
const limit = (title: string) =>
  z
    .preprocess(
      (given) => (given === "" ? undefined : given),
      z.coerce.number(`The ${title} limit is a number.`).optional(),
    )
    .meta({ title });

/** A fixed threshold on the mean of the last samples of a series. */
export const thresholdSettings = z
  .strictObject({
    metric: z.string().min(1, "Say which metric is judged.").max(200).meta({ title: "Metric" }),
    over: z
      .preprocess((given) => (given === "" ? undefined : given), z.string().max(200).optional())
      .meta({
        title: "As a share of (metric)",
        description: "Limits are percent of it then; empty for the value itself.",
      }),
    direction: z
      .enum(["above", "below"])
      .default("above")
      .meta({ title: "Alarm when", choices: ["above the limit", "below the limit"] }),
    critical: limit("critical"),
    major: limit("major"),
    minor: limit("minor"),
    warning: limit("warning"),
    samples: z.coerce
      .number("The number of samples is a whole number.")
      .int("The number of samples is a whole number.")
      .min(1, "Take at least one sample.")
      .max(60, "Take at most 60 samples.")
      .default(5)
      .meta({ title: "Mean of samples" }),
    hysteresis: z.coerce
      .number("The clear margin is a number.")
      .min(0, "The clear margin cannot be below zero.")
      .default(0)
      .meta({ title: "Clear margin" }),
    memoryMinutes: z.coerce
      .number("Minutes, please.")
      .min(1, "At least a minute.")
      .max(1440, "At most a day.")
      .default(40)
      .meta({ title: "Ignore samples older than (min)" }),
  })
  .superRefine((settings, context) => {
    if (SEVERITIES.every((severity) => settings[severity] === undefined))
      context.addIssue({
        code: "custom",
        path: ["critical"],
        message: "A rule needs at least one limit. To silence it, switch it off.",
      });
  });
export type ThresholdSettings = z.infer<typeof thresholdSettings>;

export interface ThresholdState {
  severity: Severity;
  values: number[];
  times: number[];
  /** Since when every sample was past the mildest limit. */
  sinceMs: number | undefined;
}

/** The limits of a threshold, the worst first. */
export const limitsOf = (settings: ThresholdSettings): Limit[] =>
  SEVERITIES.flatMap((severity) => {
    const value = settings[severity];
    return value === undefined ? [] : [{ severity, value }];
  });

/** Where a limit of each severity puts a value on the scale of scores. */
const SCORES: Readonly<Record<Severity, number>> = {
  critical: 95,
  major: 88,
  minor: 80,
  warning: 75,
  indeterminate: 60,
  cleared: 0,
};

export const threshold: Detector<ThresholdSettings, ThresholdState> = {
  type: "threshold",
  what: "series",
  label: "Fixed limits",
  about: "Compares the mean of the last samples with fixed limits.",
  settings: thresholdSettings,
  reads: ({ metric, over }) => ({ what: "series", metric, over }),
  memory: ({ memoryMinutes, samples }) => ({ ms: memoryMinutes * MINUTE_MS, inputs: samples }),
  fresh: (severity = "cleared") => ({ severity, values: [], times: [], sinceMs: undefined }),
  direction: ({ direction }) => direction,
  limits: limitsOf,
  describe: (settings, ownUnit) => {
    const unit = settings.over === undefined ? ownUnit : "%";
    if (unit === "0/1") return describeState(settings);
    const limits = limitsOf(settings).map(
      ({ severity, value }) => `${severity} ${settings.direction} ${formatValue(value, unit)}`,
    );
    const over = settings.samples > 1 ? `, mean of ${settings.samples} samples` : "";
    const of = settings.over === undefined ? "" : ` of ${metricTitle(settings.over, "").toLowerCase()}`;
    return `${metricTitle(settings.metric, "")}${of}: ${limits.join(", ")}${over}`;
  },

  /**
   * A limit is broken when the mean of the last `samples` values passes it, and left only when the mean comes back by
   * the clear margin; too few values give no verdict.
   */
  evaluate: (settings, state, { atMs, value }, { instance, unit }) => {
    if (!Number.isFinite(value)) return undefined;
    const limits = limitsOf(settings);
    state.values.push(value);
    state.times.push(atMs);
    const oldestMs = atMs - settings.memoryMinutes * MINUTE_MS;
    while (state.values.length > settings.samples || (state.times[0] as number) < oldestMs) {
      state.values.shift();
      state.times.shift();
    }
    const past = limits.some((one) => (settings.direction === "above" ? value >= one.value : value <= one.value));
    state.sinceMs = past ? (state.sinceMs ?? atMs) : undefined;
    if (state.values.length < settings.samples) return undefined;
    let sum = 0;
    for (const one of state.values) sum += one;
    const mean = sum / state.values.length;
    const severity = severityOfMean(settings, limits, state.severity, mean);
    if (severity === state.severity) return undefined;
    const shown = severity === "cleared" ? state.severity : severity;
    const passed = limits.find((one) => one.severity === shown)?.value ?? Number.NaN;
    state.severity = severity;
    const facts = {
      metric: settings.metric,
      instance,
      unit,
      direction: settings.direction,
      mean,
      limit: passed,
      samples: settings.samples,
    };
    return {
      severity,
      score: SCORES[severity],
      onsetMs: state.sinceMs ?? atMs,
      text: severity === "cleared" ? clearedText(facts) : thresholdText(facts),
    };
  },
};

/** A limit on a state is a share of the samples for which it holds. */
function describeState(settings: ThresholdSettings): string {
  const word = settings.direction === "above" ? "more" : "less";
  const limits = limitsOf(settings).map(
    ({ severity, value }) =>
      `${severity} when ${word} than ${Math.round(value * 100)} % of ${settings.samples} samples say yes`,
  );
  return `${metricTitle(settings.metric, "")}: ${limits.join(", ")}`;
}

function severityOfMean(
  { direction, hysteresis }: ThresholdSettings,
  limits: readonly Limit[],
  current: Severity,
  mean: number,
): Severity {
  const sign = direction === "above" ? 1 : -1;
  let worst: Severity = "cleared";
  for (const { severity, value } of limits) {
    const held = severityRank(current) >= severityRank(severity);
    // A limit already broken lets go only past the margin; one not yet broken takes hold at its value.
    const edge = held ? sign * value - hysteresis : sign * value;
    const broken = held ? sign * mean > edge : sign * mean >= edge;
    if (broken && severityRank(severity) > severityRank(worst)) worst = severity;
  }
  return worst;
}
