import { z } from "zod";
import type { Severity } from "../alarms/severity";
import { metricTitle } from "../catalogue/metrics";
import { medianOf } from "../stats/select";
import { formatValue } from "../units/format";
import type { Detector } from "./detector";
import { metricField, severityField } from "./fields";

export const differenceSettings = z.strictObject({
  metric: metricField,
  against: z
    .enum(["siblings", "instances"])
    .default("siblings")
    .meta({
      title: "Compared with",
      choices: ["the same of its siblings", "its own other instances (cores, disks, interfaces)"],
    }),
  direction: z
    .enum(["above", "below"])
    .default("above")
    .meta({ title: "Alarm when it is", choices: ["above the others", "below the others"] }),
  by: z.coerce
    .number("The difference is a number.")
    .positive("The difference is more than none.")
    .meta({ title: "By at least" }),
  as: z
    .enum(["units", "percent"])
    .default("units")
    .meta({ title: "Counted in", choices: ["the metric's own unit", "percent of theirs"] }),
  samples: z.coerce
    .number("The number of samples is a whole number.")
    .int("The number of samples is a whole number.")
    .min(1, "Take at least one sample.")
    .max(60, "Take at most 60 samples.")
    .default(5)
    .meta({ title: "Mean of samples" }),
  severity: severityField,
});
export type DifferenceSettings = z.infer<typeof differenceSettings>;

export interface DifferenceState {
  severity: Severity;
  /** By how much each of the last samples differed from the median of the others, and that median. */
  apart: number[];
  times: number[];
  sinceMs: number | undefined;
}

/** It is over below this share of what was asked. */
const EASED = 0.7;
/** With fewer others nobody can say who is the odd one. */
const LEAST_OTHERS = { siblings: 2, instances: 1 } as const;

/** Judges what ought to be alike: one core, disk or member against the median of the others. */
export const difference: Detector<DifferenceSettings, DifferenceState> = {
  type: "difference",
  label: "Difference between siblings",
  about:
    "Compares what ought to be alike: a component with its siblings, or one core, disk or interface with the others, by the median of the others.",
  what: "series",
  settings: differenceSettings,
  reads: ({ metric }) => ({ what: "series", metric }),
  others: ({ against }) => against,
  memory: () => ({ ms: 0, inputs: 1 }),
  fresh: (severity = "cleared") => ({ severity, apart: [], times: [], sinceMs: undefined }),
  direction: ({ direction }) => direction,
  limits: () => [],
  describe: (settings, unit) =>
    `${metricTitle(settings.metric, "")} ${formatValue(settings.by, settings.as === "units" ? unit : "%")} or more ${settings.direction} the median of ${others(settings)}: ${settings.severity}${settings.samples > 1 ? `, mean of ${settings.samples} samples` : ""}`,

  evaluate: (settings, state, { atMs, value, others: given = [] }, { instance, unit }) => {
    const beside = given.filter((one) => Number.isFinite(one));
    if (!Number.isFinite(value) || beside.length < LEAST_OTHERS[settings.against]) return undefined;
    const median = medianOf(Float64Array.from(beside));
    const way = settings.direction === "above" ? value - median : median - value;
    const apart = settings.as === "units" ? way : median === 0 ? 0 : (way / Math.abs(median)) * 100;
    state.apart.push(apart);
    state.times.push(atMs);
    if (state.apart.length > settings.samples) {
      state.apart.shift();
      state.times.shift();
    }
    state.sinceMs = apart >= settings.by ? (state.sinceMs ?? atMs) : undefined;
    if (state.apart.length < settings.samples) return undefined;
    const mean = state.apart.reduce((sum, one) => sum + one, 0) / state.apart.length;
    const name = metricTitle(settings.metric, instance);
    if (state.severity !== "cleared") {
      if (mean >= settings.by * EASED) return undefined;
      state.severity = "cleared";
      return {
        severity: "cleared",
        score: 0,
        onsetMs: atMs,
        text: `${name} at ${formatValue(value, unit)} is like ${others(settings)} again`,
      };
    }
    if (mean < settings.by) return undefined;
    state.severity = settings.severity;
    return {
      severity: settings.severity,
      score: 85,
      onsetMs: state.sinceMs ?? (state.times[0] as number),
      text: `${name} at ${formatValue(value, unit)}, while the median of ${others(settings)} is ${formatValue(median, unit)}`,
    };
  },
};

const others = ({ against }: DifferenceSettings) => (against === "siblings" ? "its siblings" : "its other instances");
