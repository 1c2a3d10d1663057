import { z } from "zod";
import type { Severity } from "../alarms/severity";
import { countAtLeast, countAtMost, scoreOf } from "../stats/tails";
import { logLevel } from "../telemetry/log-levels";
import { MINUTE_MS } from "../time/windows";
import type { Detector } from "./detector";

const whole = (title: string, least: number, most: number, first: number) =>
  z.coerce
    .number(`${title}: use a whole number.`)
    .int(`${title}: use a whole number.`)
    .min(least, `${title}: at least ${least}.`)
    .max(most, `${title}: at most ${most}.`)
    .default(first)
    .meta({ title });

export const LOG_LEVEL_CHOICES = ["0", "9", "13", "17", "21"] as const;
export const LOG_LEVEL_WORDS = ["any", "information or worse", "warnings or worse", "errors or worse", "fatal"];

export const logSettings = z.strictObject({
  words: z
    .string()
    .trim()
    .max(200, "A search has at most 200 characters.")
    .default("")
    .meta({ title: "Words", description: "As in the search of logs: words, “as it stands”, -without. Empty for all." }),
  level: z.enum(LOG_LEVEL_CHOICES).default("17").meta({
    title: "Level",
    choices: LOG_LEVEL_WORDS,
  }),
  condition: z
    .enum(["more", "atLeast", "none", "new"])
    .default("more")
    .meta({
      title: "Alarm when there are",
      choices: ["more than usual", "at least so many", "none, though there usually are", "patterns never met before"],
    }),
  count: whole("At least", 1, 1_000_000, 5),
  minutes: whole("Within minutes", 1, 120, 5),
  score: whole("Score to alarm", 25, 100, 75),
  severity: z
    .enum(["critical", "major", "minor", "warning"])
    .default("minor")
    .meta({ title: "Severity", choices: ["critical", "major", "minor", "warning"] }),
  as: z
    .enum(["alarm", "finding"])
    .default("alarm")
    .meta({ title: "Becomes", choices: ["an alarm", "a finding: evidence, not an alarm"] }),
});
export type LogSettings = z.infer<typeof logSettings>;

export interface LogState {
  severity: Severity;
}

/** So often it came out of this many, and it is over. */
const EASED = 0.5;

const METRIC = { more: "logs.many", atLeast: "logs.many", none: "logs.none", new: "logs.new" } as const;

/** Counts of log records of one component against a limit, or against what is usual at this time of day. */
export const logs: Detector<LogSettings, LogState, "logs"> = {
  type: "logs",
  label: "Log records",
  about: "Counts log records of each component: too many, none, or patterns that were never met before.",
  what: "logs",
  settings: logSettings,
  reads: (settings) => ({ what: "logs", metric: METRIC[settings.condition] }),
  memory: ({ minutes }) => ({ ms: minutes * MINUTE_MS, inputs: 1 }),
  fresh: (severity = "cleared") => ({ severity }),
  direction: ({ condition }) => (condition === "none" ? "below" : "above"),
  isFinding: (settings) => settings.as === "finding",
  limits: () => [],
  describe: (settings) => {
    const { words, condition, count, minutes } = settings;
    const which = `${levelWords(settings)}${words ? ` with “${words}”` : ""}`;
    const what = {
      more: `more ${which} than usual at this time of day within ${minutes} min, ${count} or more`,
      atLeast: `${count} or more ${which} within ${minutes} min`,
      none: `no ${which} for ${minutes} min, though there usually are`,
      new: `${which} of a pattern never met before`,
    }[condition];
    return `${settings.as === "finding" ? "finding" : settings.severity} when there are ${what}`;
  },

  evaluate: (settings, state, { atMs, count, usual, example }) => {
    const judged = judge(settings, count, usual);
    if (state.severity !== "cleared") {
      if (!judged.eased) return undefined;
      state.severity = "cleared";
      return {
        severity: "cleared",
        score: 0,
        onsetMs: atMs,
        text: `${count} in ${settings.minutes} min: as usual again`,
      };
    }
    if (!judged.holds) return undefined;
    state.severity = settings.severity;
    const onsetMs = atMs - settings.minutes * MINUTE_MS;
    return { severity: settings.severity, score: judged.score, onsetMs, text: textOf(settings, count, usual, example) };
  },
};

const levelWords = ({ level }: LogSettings) =>
  ({ "0": "log records", "9": "log records", "13": "warnings", "17": "errors", "21": "fatal errors" })[level];

function judge(settings: LogSettings, count: number, usual: { mean: number; variance: number } | undefined) {
  const { condition } = settings;
  if (condition === "atLeast" || condition === "new") {
    const least = condition === "new" ? 1 : settings.count;
    return { holds: count >= least, eased: count < least * EASED || count === 0, score: 90 };
  }
  if (!usual) return { holds: false, eased: true, score: 0 };
  if (condition === "none") {
    const score = count > 0 ? 0 : scoreOf(countAtMost(0, usual.mean, usual.variance));
    return { holds: score >= settings.score, eased: count > 0, score };
  }
  const score = scoreOf(countAtLeast(count, Math.max(0.2, usual.mean), usual.variance));
  const many = count >= settings.count && count >= 2 * usual.mean;
  return { holds: many && score >= settings.score, eased: score < settings.score * EASED, score };
}

function textOf(settings: LogSettings, count: number, usual: { mean: number } | undefined, example: string): string {
  const { condition, minutes } = settings;
  const which = levelWords(settings);
  const said = example ? `: ${example.length > 160 ? `${example.slice(0, 159)}…` : example}` : "";
  if (condition === "none")
    return `No ${which} for ${minutes} min, usually ${rounded(usual?.mean ?? 0)} in such a time`;
  if (condition === "new") return `New ${logLevel(Number(settings.level))}, ${count} times${said}`;
  const usually = condition === "more" ? `, usually ${rounded(usual?.mean ?? 0)}` : "";
  return `${count} ${count === 1 ? which.replace(/s$/, "") : which} within ${minutes} min${usually}${said}`;
}

const rounded = (value: number) => (value < 10 ? String(Number(value.toFixed(1))) : String(Math.round(value)));
