import { z } from "zod";
import type { Severity } from "../alarms/severity";
import { fitsPattern } from "../estate/pattern";
import { missedAt } from "../jobs/runs";
import { clockTime, HOUR_MS, MINUTE_MS, spokenDuration } from "../time/windows";
import type { Detector, JobInput } from "./detector";
import { minutesField, severityField } from "./fields";

export const jobSettings = z.strictObject({
  condition: z
    .enum(["long", "missing", "failed"])
    .default("long")
    .meta({ title: "Alarm when a run", choices: ["takes too long", "did not start", "failed"] }),
  job: z
    .string()
    .trim()
    .min(1, "Say which jobs; * for all.")
    .max(80, "At most 80 characters.")
    .default("*")
    .meta({ title: "Jobs", description: "Names, * for anything." }),
  times: z.coerce
    .number("A multiple is a number.")
    .min(1.1, "At least 1.1 times.")
    .max(100, "At most a hundred times.")
    .default(2)
    .meta({ title: "Too long (times the median)", description: "And a fifth over what nine of ten take." }),
  minutes: minutesField("Grace (min)", 10, 1440, "So much longer than usual, or later than due, is let pass."),
  inARow: z.coerce
    .number("Runs are a whole number.")
    .int("Runs are a whole number.")
    .min(1, "At least one run.")
    .max(20, "At most twenty runs.")
    .default(2)
    .meta({
      title: "Failed in a row",
      description: "What runs twice a day or less often is told of at its first failure.",
    }),
  forget: z.coerce
    .number("Hours are a number.")
    .min(1, "At least an hour.")
    .max(720, "At most 30 days.")
    .default(24)
    .meta({ title: "Ended after (h)", description: "A missed start, or a failure, stands so long at most." }),
  severity: severityField,
  as: z
    .enum(["alarm", "finding"])
    .default("alarm")
    .meta({ title: "Becomes", choices: ["an alarm", "a finding: evidence, not an alarm"] }),
});
export type JobSettings = z.infer<typeof jobSettings>;

export interface JobState {
  severity: Severity;
}

const METRIC = { long: "job.long", missing: "job.missing", failed: "job.failed" } as const;

/** From how long a run on takes too long, ms. */
export const longAfterMs = ({ times, minutes }: JobSettings, usual: { medianMs: number; mostMs: number }): number =>
  Math.max(usual.medianMs * times, usual.mostMs * 1.2, usual.medianMs + minutes * MINUTE_MS);

/** Whether a rule is about a job. */
export const isAboutJob = (settings: JobSettings, job: string): boolean => fitsPattern(settings.job, job);

/** Judges the runs of batch jobs against their own past: too long, not started when due, failed. */
export const jobs: Detector<JobSettings, JobState, "jobs"> = {
  type: "jobs",
  label: "Job runs",
  about:
    "Judges the runs of batch jobs against their own past: a run takes too long, did not start when due, or failed.",
  what: "jobs",
  settings: jobSettings,
  reads: ({ condition }) => ({ what: "jobs", metric: METRIC[condition] }),
  memory: () => ({ ms: 0, inputs: 1 }),
  fresh: (severity = "cleared") => ({ severity }),
  isFinding: (settings) => settings.as === "finding",
  direction: ({ condition }) => (condition === "missing" ? "below" : "above"),
  limits: () => [],
  describe: (settings) => {
    const what = {
      long: `takes ${settings.times} times its median, and ${settings.minutes} min more than that`,
      missing: `did not start ${settings.minutes} min after it was due`,
      failed:
        settings.inARow === 1 ? "failed" : `failed ${settings.inARow} times in a row, or once where it runs seldom`,
    }[settings.condition];
    const which = settings.job === "*" ? "a job" : `a job like ${settings.job}`;
    return `${settings.as === "finding" ? "finding" : settings.severity} when a run of ${which} ${what}`;
  },

  evaluate: (settings, state, input, { instance }) => {
    // What is told of already stands, whenever we began to look.
    const asked = state.severity === "cleared" ? input : { ...input, sinceMs: Number.NEGATIVE_INFINITY };
    const wrong = WRONG[settings.condition](settings, asked, instance);
    if (wrong) {
      if (state.severity !== "cleared") return undefined;
      state.severity = settings.severity;
      return { severity: settings.severity, score: 90, ...wrong };
    }
    if (state.severity === "cleared") return undefined;
    state.severity = "cleared";
    return { severity: "cleared", score: 0, onsetMs: input.atMs, text: overText(settings, input, instance) };
  },
};

const SELDOM_MS = 10 * HOUR_MS;

/** Whether half of the starts are ten hours apart or more. */
function isSeldom(runs: readonly { startedMs: number }[]): boolean {
  const gaps = runs.slice(1).map((run, index) => run.startedMs - (runs[index]?.startedMs ?? 0));
  return gaps.length === 0 || (gaps.sort((a, b) => a - b)[gaps.length >> 1] ?? 0) >= SELDOM_MS;
}

type Wrong = { onsetMs: number; text: string } | undefined;

const WRONG: Record<JobSettings["condition"], (settings: JobSettings, input: JobInput, job: string) => Wrong> = {
  long(settings, { atMs, runs, usual }, job) {
    const last = runs.at(-1);
    if (last?.outcome !== "running" || !usual) return undefined;
    const limitMs = longAfterMs(settings, usual);
    if (atMs - last.startedMs <= limitMs) return undefined;
    return {
      onsetMs: last.startedMs + usual.mostMs,
      text: `${job} has run for ${spokenDuration(atMs - last.startedMs)} since ${clockTime(last.startedMs)}, usually ${spokenDuration(usual.medianMs)} (${usual.runs} runs)`,
    };
  },
  missing(settings, { atMs, runs, schedule, sinceMs }, job) {
    if (!schedule) return undefined;
    const starts = runs.map((run) => run.startedMs);
    const dueMs = missedAt(schedule, starts, atMs, settings.minutes * MINUTE_MS);
    if (dueMs === undefined || dueMs < sinceMs || atMs - dueMs > settings.forget * HOUR_MS) return undefined;
    return {
      onsetMs: dueMs,
      text: `${job} did not start: due at ${clockTime(dueMs)} (${schedule.words}), last started ${spokenDuration(atMs - (starts.at(-1) ?? atMs))} ago`,
    };
  },
  failed(settings, { atMs, runs }, job) {
    const over = runs.filter((run) => run.outcome !== "running");
    const last = over.at(-1);
    if (last?.outcome !== "failed" || last.endedMs === null || atMs - last.endedMs > settings.forget * HOUR_MS)
      return undefined;
    // What runs often makes up for a failure by itself; what runs at night is missed in the morning.
    const needed = isSeldom(over) ? 1 : settings.inARow;
    if (over.slice(-needed).filter((run) => run.outcome === "failed").length < needed) return undefined;
    return {
      onsetMs: last.startedMs,
      text: `${job} failed at ${clockTime(last.endedMs)}, ${spokenDuration(last.endedMs - last.startedMs)} after it started`,
    };
  },
};

function overText({ condition }: JobSettings, { atMs, runs }: JobInput, job: string): string {
  const last = runs.at(-1);
  if (!last) return `${job} is not known any more`;
  if (condition === "missing")
    return atMs - last.startedMs < 10 * MINUTE_MS
      ? `${job} started at ${clockTime(last.startedMs)}`
      : `${job} is not waited for any longer`;
  if (last.outcome === "done" && last.endedMs !== null)
    return `${job} is done: it took ${spokenDuration(last.endedMs - last.startedMs)}`;
  if (last.outcome === "failed") return condition === "long" ? `${job} failed` : `${job} failed long ago`;
  return `${job} runs anew`;
}
