import { z } from "zod";
import { severityRank, type Severity } from "../alarms/severity";
import { metricTitle } from "../catalogue/metrics";
import { trendOf } from "../stats/trend";
import { HOUR_MS, MINUTE_MS, spokenDuration } from "../time/windows";
import { formatValue } from "../units/format";
import type { Detector } from "./detector";

const hours = (title: string) =>
  z
    .preprocess(
      (given) => (given === "" ? undefined : given),
      z.coerce
        .number("Hours are a number.")
        .positive("Hours are more than none.")
        .max(24 * 365)
        .optional(),
    )
    .meta({ title });

export const trendSettings = z
  .strictObject({
    metric: z.string().min(1, "Say which metric is judged.").max(200).meta({ title: "Metric" }),
    direction: z
      .enum(["above", "below"])
      .default("above")
      .meta({ title: "Towards", choices: ["a limit above", "a limit below"] }),
    limit: z.coerce.number("The limit is a number.").default(100).meta({ title: "Reaches" }),
    critical: hours("Critical within (h)"),
    major: hours("Major within (h)"),
    minor: hours("Minor within (h)"),
    onlyFrom: z
      .preprocess((given) => (given === "" ? undefined : given), z.coerce.number("A level is a number.").optional())
      .meta({ title: "Only past", description: "A level from which a trend matters at all; empty for any." }),
    leastMove: z.coerce
      .number("The least move is a number.")
      .min(0, "The least move cannot be below zero.")
      .default(1)
      .meta({
        title: "Moved by at least",
        description: "In the metric's own unit, within the span that shows the trend.",
      }),
  })
  .superRefine((settings, context) => {
    if (spansOf(settings).length === 0)
      context.addIssue({ code: "custom", path: ["major"], message: "Say within how many hours it is worth an alarm." });
  });
export type TrendSettings = z.infer<typeof trendSettings>;

interface Given {
  critical?: number | undefined;
  major?: number | undefined;
  minor?: number | undefined;
}

/** Hours from which each severity is, the worst first. */
const spansOf = (settings: Given) =>
  (["critical", "major", "minor"] as const).flatMap((severity) => {
    const within = settings[severity];
    return within === undefined ? [] : [{ severity, withinMs: within * HOUR_MS }];
  });

/** A short span shows what fills within the hour, a long one what fills within days. */
const SHORT = { ms: 6 * MINUTE_MS, stepMs: 0, least: 6 } as const;
const LONG = { ms: 6 * HOUR_MS, stepMs: 10 * MINUTE_MS, least: 12 } as const;
/** A trend is believed from so many standard deviations on. */
const SURE = 2.5;
/** It is over when it would take so many times as long as the mildest alarm asks for. */
const EASED = 1.5;

interface Kept {
  times: number[];
  values: number[];
}

export interface TrendState {
  severity: Severity;
  sinceMs: number | undefined;
  short: Kept;
  long: Kept;
  longLeft: Left | undefined;
}

/** How long it takes until the limit is reached, and since when the trend shows. */
interface Left {
  leftMs: number;
  fromMs: number;
}

/** Judges what only grows by the time that is left until it reaches its limit, not by its level. */
export const trend: Detector<TrendSettings, TrendState> = {
  type: "trend",
  label: "Time until full",
  about: "Follows the present trend and tells how long it takes until a limit is reached: a disk full, a pool used up.",
  what: "series",
  settings: trendSettings,
  reads: ({ metric }) => ({ what: "series", metric }),
  memory: () => ({ ms: LONG.ms, inputs: 2000 }),
  fresh: (severity = "cleared") => ({
    severity,
    sinceMs: undefined,
    short: { times: [], values: [] },
    long: { times: [], values: [] },
    longLeft: undefined,
  }),
  direction: ({ direction }) => direction,
  limits: () => [],
  describe: (settings, unit) => {
    const spans = spansOf(settings).map(({ severity, withinMs }) => `${severity} within ${spokenDuration(withinMs)}`);
    return `${metricTitle(settings.metric, "")} reaches ${formatValue(settings.limit, unit)} at the present trend: ${spans.join(", ")}`;
  },

  evaluate: (settings, state, { atMs, value }, { instance, unit }) => {
    if (!Number.isFinite(value)) return undefined;
    keep(state.short, SHORT, atMs, value);
    // The long trend changes with each of its points only, and at once where the value falls back: what was cleared
    // away does not fill up until the next of them.
    if (keep(state.long, LONG, atMs, value) || fellBack(settings, state.long, value))
      state.longLeft = leftOf(settings, state.long, LONG, value);
    const found = [leftOf(settings, state.short, SHORT, value), state.longLeft]
      .filter((one) => one !== undefined)
      .sort((a, b) => a.leftMs - b.leftMs)[0];
    const spans = spansOf(settings);
    const mildest = (spans.at(-1) as { withinMs: number }).withinMs;
    const name = metricTitle(settings.metric, instance);
    if (state.severity !== "cleared" && (found?.leftMs ?? Number.POSITIVE_INFINITY) > mildest * EASED) {
      // Full stays full: only when it moved away from the limit, or stands still below it, is it over.
      if (isReached(settings, value)) return undefined;
      state.severity = "cleared";
      state.sinceMs = undefined;
      return {
        severity: "cleared",
        score: 0,
        onsetMs: atMs,
        text: `${name} at ${formatValue(value, unit)} does not near ${formatValue(settings.limit, unit)} any more`,
      };
    }
    const severity = found && spans.find(({ withinMs }) => found.leftMs <= withinMs)?.severity;
    if (!found || !severity || severityRank(severity) <= severityRank(state.severity)) return undefined;
    state.severity = severity;
    state.sinceMs ??= found.fromMs;
    return {
      severity,
      score: 90,
      onsetMs: state.sinceMs,
      text: `${name} at ${formatValue(value, unit)} reaches ${formatValue(settings.limit, unit)} in ${spokenDuration(Math.max(MINUTE_MS, found.leftMs))} at the present trend`,
    };
  },
};

function keep(kept: Kept, { ms, stepMs }: { ms: number; stepMs: number }, atMs: number, value: number): boolean {
  const last = kept.times.at(-1);
  if (last !== undefined && atMs - last < stepMs) return false;
  kept.times.push(atMs);
  kept.values.push(value);
  while ((kept.times[0] as number) < atMs - ms) {
    kept.times.shift();
    kept.values.shift();
  }
  return true;
}

const fellBack = ({ direction, leastMove }: TrendSettings, kept: Kept, value: number) =>
  (direction === "above" ? -1 : 1) * (value - (kept.values.at(-1) as number)) >= leastMove;

const isReached = ({ direction, limit }: TrendSettings, value: number) =>
  direction === "above" ? value >= limit * 0.995 : value <= limit;

function leftOf(settings: TrendSettings, kept: Kept, { least }: { least: number }, value: number): Left | undefined {
  if (kept.times.length < least) return undefined;
  const sign = settings.direction === "above" ? 1 : -1;
  if (settings.onlyFrom !== undefined && sign * (value - settings.onlyFrom) < 0) return undefined;
  const moved = sign * (value - (kept.values[0] as number));
  if (moved < settings.leastMove) return undefined;
  const found = trendOf(kept.times, kept.values);
  if (!found || sign * found.sure < SURE || sign * found.slope <= 0) return undefined;
  return {
    leftMs: Math.max(0, (settings.limit - value) / found.slope),
    fromMs: kept.times[0] as number,
  };
}
