import { z } from "zod";
import { severityRank, type Severity } from "../alarms/severity";
import { metricTitle } from "../catalogue/metrics";
import { addToSums, noSums, type Sums } from "../stats/cusum";
import { scoreOf } from "../stats/tails";
import { MINUTE_MS } from "../time/windows";
import { formatValue } from "../units/format";
import type { Detector, Judged } from "./detector";
import { chanceOf, edgeOf, usualAt, type Range } from "./range";

const whole = (title: string, least: number, most: number, first: number, description: string) =>
  z.coerce
    .number(`${title}: use a number.`)
    .min(least, `${title}: at least ${least}.`)
    .max(most, `${title}: at most ${most}.`)
    .default(first)
    .meta({ title, description });

export const usualSettings = z.strictObject({
  metric: z.string().min(1, "Say which metric is judged.").max(200).meta({ title: "Metric" }),
  direction: z
    .enum(["above", "below", "both"])
    .default("both")
    .meta({ title: "Alarm when", choices: ["above what is usual", "below what is usual", "either way"] }),
  score: whole("Score to alarm", 25, 100, 75, "75: so far out by chance once in a million judgements of this series."),
  lastsMinutes: whole("For minutes", 0, 1440, 2, "So long it must have been so."),
  leastPercent: whole("Off by at least (%)", 0, 100_000, 25, "Of what is usual; less does not matter."),
  leastValue: whole("And by at least", 0, 1e15, 0, "In the metric's own unit."),
  severity: z
    .enum(["major", "minor", "warning"])
    .default("minor")
    .meta({ title: "Severity", choices: ["major", "minor", "warning"] }),
  as: z
    .enum(["alarm", "finding"])
    .default("alarm")
    .meta({ title: "Becomes", choices: ["an alarm", "a finding: evidence, not an alarm"] }),
});
export type UsualSettings = z.infer<typeof usualSettings>;

export interface UsualState {
  severity: Severity;
  /** Samples of the last minute. */
  times: number[];
  values: number[];
  /** Since when every judgement was out, and to which side. */
  sinceMs: number | undefined;
  side: "above" | "below";
  sums: Sums;
}

/** Judged is the mean of so long, so that one odd sample is not news. */
const MEAN_MS = MINUTE_MS;
/** An alarm is left when the score falls under this part of its own. */
const EASED = 0.5;
/** Allowance and limit of the cumulative sums, in spreads. */
const ALLOWANCE = 0.5;
/** A deviation counts for so many spreads at the most, so that the onset is not dragged by one sample. */
const MOST_SPREADS = 8;

/** A value against what is usual of its series at this hour. */
export const usual: Detector<UsualSettings, UsualState> = {
  type: "usual",
  label: "Out of the usual range",
  about: "Learns what is usual of each series at each hour, and tells when it is far beyond for a while.",
  what: "series",
  learns: true,
  settings: usualSettings,
  reads: ({ metric }) => ({ what: "series", metric }),
  memory: ({ lastsMinutes }) => ({ ms: (lastsMinutes + 10) * MINUTE_MS, inputs: 400 }),
  fresh: (severity = "cleared") => ({
    severity,
    times: [],
    values: [],
    sinceMs: undefined,
    side: "above",
    sums: noSums(),
  }),
  direction: ({ direction }) => (direction === "below" ? "below" : "above"),
  isFinding: (settings) => settings.as === "finding",
  limits: () => [],
  describe: (settings, unit) => {
    const side = { above: "above", below: "below", both: "above or below" }[settings.direction];
    const what = settings.metric === "*" ? "Any figure" : metricTitle(settings.metric, "");
    const off = settings.leastValue > 0 ? ` and ${formatValue(settings.leastValue, unit)}` : "";
    const lasting = settings.lastsMinutes > 0 ? ` for ${settings.lastsMinutes} min` : "";
    return `${what}: ${settings.as === "finding" ? "finding" : settings.severity} ${side} what is usual at the hour, by at least ${settings.leastPercent} %${off}, at a score of ${settings.score}${lasting}`;
  },

  evaluate: (settings, state, { atMs, value, range }, judged) => {
    if (!Number.isFinite(value) || !range) return undefined;
    const known = usualAt(range, atMs);
    if (!known) return undefined;
    state.times.push(atMs);
    state.values.push(value);
    while ((state.times[0] as number) <= atMs - MEAN_MS) {
      state.times.shift();
      state.values.shift();
    }
    const mean = state.values.reduce((sum, one) => sum + one, 0) / state.values.length;
    const off = (value - known.middle) / known.spread;
    addToSums(state.sums, Math.max(-MOST_SPREADS, Math.min(MOST_SPREADS, off)), ALLOWANCE, atMs);
    const side = mean >= known.middle ? "above" : "below";
    const far = Math.abs(mean - known.middle);
    const matters =
      (settings.direction === "both" || settings.direction === side) &&
      far >= (settings.leastPercent / 100) * Math.abs(known.middle) &&
      far >= settings.leastValue;
    const score = matters ? scoreOf(chanceOf(range, mean, atMs, side)) : 0;
    if (state.severity !== "cleared") {
      if (side === state.side && score >= settings.score * EASED) return undefined;
      state.severity = "cleared";
      state.sinceMs = undefined;
      return { severity: "cleared", score: 0, onsetMs: atMs, text: easedText(settings, judged, mean, known.middle) };
    }
    if (score < settings.score || (state.sinceMs !== undefined && side !== state.side)) {
      state.sinceMs = undefined;
      return undefined;
    }
    state.side = side;
    state.sinceMs ??= atMs;
    if (atMs - state.sinceMs < settings.lastsMinutes * MINUTE_MS) return undefined;
    if (severityRank(settings.severity) <= severityRank(state.severity)) return undefined;
    state.severity = settings.severity;
    const since = side === "above" ? state.sums.highSince : state.sums.lowSince;
    const onsetMs = Number.isNaN(since) ? state.sinceMs : Math.min(since, state.sinceMs);
    return { severity: settings.severity, score, onsetMs, text: textOf(settings, judged, mean, known.middle, score) };
  },
};

const nameOf = ({ metric }: UsualSettings, { instance, metric: own }: Judged) =>
  metricTitle(metric === "*" ? (own ?? metric) : metric, instance);

/** "Queue depth at 340, usually 12 at this hour: 28 times as much". */
function textOf(settings: UsualSettings, judged: Judged, mean: number, middle: number, score: number): string {
  const { unit } = judged;
  const times = middle !== 0 ? mean / middle : Number.NaN;
  const ratio = times >= 2 ? `: ${times >= 9.95 ? Math.round(times) : times.toFixed(1)} times as much` : "";
  return `${nameOf(settings, judged)} at ${formatValue(mean, unit)}, usually ${formatValue(middle, unit)} at this hour${ratio} (score ${Math.round(score)})`;
}

const easedText = (settings: UsualSettings, judged: Judged, mean: number, middle: number) =>
  `${nameOf(settings, judged)} as usual again: ${formatValue(mean, judged.unit)}, usually ${formatValue(middle, judged.unit)}`;

/** The band within which all but one in a million values of a series lie, at an instant; undefined where none is known. */
export function bandAt(range: Range, atMs: number): { low: number; high: number; middle: number } | undefined {
  const known = usualAt(range, atMs);
  const low = edgeOf(range, 1e-6, atMs, "below");
  const high = edgeOf(range, 1e-6, atMs, "above");
  return known && low !== undefined && high !== undefined ? { low, high, middle: known.middle } : undefined;
}
