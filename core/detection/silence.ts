import { z } from "zod";
import type { Severity } from "../alarms/severity";
import { metricTitle } from "../catalogue/metrics";
import { clockTime, MINUTE_MS, spokenDuration } from "../time/windows";
import type { Detector } from "./detector";
import { minutesField, severityField } from "./fields";

export const silenceSettings = z.strictObject({
  metric: z
    .string()
    .trim()
    .min(1, "Say which metric is missed; * for anything at all.")
    .max(200)
    .default("*")
    .meta({ title: "Metric" }),
  times: z.coerce
    .number("A multiple is a number.")
    .min(1.5, "At least one and a half times.")
    .max(100, "At most a hundred times.")
    .default(4)
    .meta({
      title: "Late by (times its rhythm)",
      description: "Its rhythm is the longest that it stays away in 19 of 20 cases.",
    }),
  minutes: minutesField("And at least (min)", 5, 10_080),
  forget: z.coerce
    .number("Hours are a number.")
    .min(1, "At least an hour.")
    .max(720, "At most 30 days.")
    .default(24)
    .meta({ title: "Ended after (h)", description: "What stays silent so long counts as taken away." }),
  severity: severityField,
  as: z
    .enum(["alarm", "finding"])
    .default("alarm")
    .meta({ title: "Becomes", choices: ["an alarm", "a finding: evidence, not an alarm"] }),
});
export type SilenceSettings = z.infer<typeof silenceSettings>;

export interface SilenceState {
  severity: Severity;
}

const HOUR_MS = 60 * MINUTE_MS;

/** From how long a silence on something is late, ms. */
export const lateAfterMs = ({ times, minutes }: SilenceSettings, rhythmMs: number): number =>
  Math.max(minutes * MINUTE_MS, times * rhythmMs);

/** Judges that nothing comes any more of what came regularly: a sender, a job, a business figure. */
export const silence: Detector<SilenceSettings, SilenceState, "arrivals"> = {
  type: "silence",
  label: "Silence",
  about:
    "Tells when nothing comes any more of what came by a rhythm of its own: a sender, a job's figure, a business figure.",
  what: "arrivals",
  settings: silenceSettings,
  reads: ({ metric }) => ({ what: "arrivals", metric }),
  memory: () => ({ ms: 0, inputs: 1 }),
  fresh: (severity = "cleared") => ({ severity }),
  isFinding: (settings) => settings.as === "finding",
  direction: () => "below",
  limits: () => [],
  describe: (settings) =>
    `${settings.as === "finding" ? "finding" : settings.severity} when ${settings.metric === "*" ? "nothing" : `no ${metricTitle(settings.metric, "").toLowerCase()}`} comes for ${settings.times} times its rhythm, and at least ${spokenDuration(settings.minutes * MINUTE_MS)}`,

  evaluate: (settings, state, { atMs, lastMs, rhythmMs, sinceMs }, { instance }) => {
    const silentMs = atMs - lastMs;
    const name = settings.metric === "*" ? "Anything" : metricTitle(settings.metric, instance);
    const isEnded = silentMs > settings.forget * HOUR_MS;
    const isLate = rhythmMs !== undefined && silentMs > lateAfterMs(settings, rhythmMs);
    if (state.severity !== "cleared") {
      if (isLate && !isEnded) return undefined;
      state.severity = "cleared";
      const text = isEnded
        ? `Silent for ${spokenDuration(silentMs)}: it counts as taken away`
        : `${name === "Anything" ? "It" : name} comes again`;
      return { severity: "cleared", score: 0, onsetMs: atMs, text };
    }
    if (!isLate || isEnded || rhythmMs === undefined) return undefined;
    // What came while nobody listened comes again within its rhythm.
    if (sinceMs !== undefined && atMs - sinceMs <= Math.max(settings.minutes * MINUTE_MS, rhythmMs)) return undefined;
    state.severity = settings.severity;
    const nothing = settings.metric === "*" ? "Nothing comes" : `No ${metricTitle(settings.metric, instance)}`;
    return {
      severity: settings.severity,
      score: 85,
      // What was due and did not come.
      onsetMs: lastMs + rhythmMs,
      text: `${nothing} since ${clockTime(lastMs)} (${spokenDuration(silentMs)}), usually within ${spokenDuration(rhythmMs)}`,
    };
  },
};

/** So many gaps tell of a rhythm; of the longest ones so many are left out. */
const LEAST_GAPS = 3;
const LEFT_OUT = 0.05;

/**
 * The longest that something usually stays away: of 20 gaps between arrivals 19 are at most as long, ms.
 * @param times when it came, in order
 * @returns undefined where it came too seldom to know
 */
export function rhythmOf(times: ArrayLike<number>): number | undefined {
  if (times.length <= LEAST_GAPS) return undefined;
  const gaps = new Float64Array(times.length - 1);
  for (let index = 0; index < gaps.length; index++)
    gaps[index] = (times[index + 1] as number) - (times[index] as number);
  gaps.sort();
  return gaps[Math.min(gaps.length - 1, Math.ceil(gaps.length * (1 - LEFT_OUT)) - 1)];
}
