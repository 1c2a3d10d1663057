import { z } from "zod";
import { severityRank, type Severity } from "../alarms/severity";
import { longerThanUsual } from "./call-time";
import { scoreOf, shareAtLeast } from "../stats/tails";
import { MINUTE_MS } from "../time/windows";
import { formatValue } from "../units/format";
import { alikeOver, LEAST_KNOWN, type CallPoint, type CallUsual } from "./call-usual";
import type { Detector } from "./detector";

const percent = (title: string, description?: string) =>
  z
    .preprocess(
      (given) => (given === "" ? undefined : given),
      z.coerce.number("A share is a number of percent.").min(0.01).max(100, "A share is at most 100 %.").optional(),
    )
    .meta({ title, ...(description === undefined ? {} : { description }) });

export const callSettings = z
  .strictObject({
    condition: z
      .enum(["failing", "slow"])
      .default("failing")
      .meta({ title: "Alarm when calls", choices: ["fail", "are slower than usual"] }),
    score: z.coerce
      .number("The score is a number.")
      .min(25, "A score under 25 would be raised every hour by chance.")
      .max(100, "A score is at most 100.")
      .default(75)
      .meta({
        title: "Score to alarm",
        description: "75: so many would be so by chance once in a million judgements.",
      }),
    critical: percent("Critical from (% of calls)"),
    major: percent("Major from (% of calls)"),
    minor: percent("Minor from (% of calls)"),
    longer: z
      .preprocess(
        (given) => (given === "" ? undefined : given),
        z.coerce
          .number("How many times as long is a number.")
          .min(1.1, "Less than 1.1 times as long would be raised by every small change.")
          .max(100, "Calls that take more than 100 times as long are slow by any measure: ask for at most 100.")
          .optional(),
      )
      .meta({
        title: "Minor also from (times as long on average)",
        description: "For slow calls: their mean beside its usual. It shows what makes every call a little slower.",
      }),
    leastCalls: z.coerce
      .number("The number of calls is a whole number.")
      .int("The number of calls is a whole number.")
      .min(1, "Ask for at least one call.")
      .max(1000, "Ask for at most 1,000 calls.")
      .default(3)
      .meta({ title: "At least so many of them" }),
  })
  .superRefine((settings, context) => {
    if (settings.longer !== undefined && settings.condition === "failing")
      context.addIssue({
        code: "custom",
        path: ["longer"],
        message: "How long calls take says nothing of failing ones. Leave it empty, or choose slower calls.",
      });
    if (sharesOf(settings).length === 0 && settings.longer === undefined)
      context.addIssue({
        code: "custom",
        path: ["major"],
        message: "A rule needs at least one share of calls. To silence it, switch it off.",
      });
  });
export type CallSettings = z.infer<typeof callSettings>;

interface Given {
  critical?: number | undefined;
  major?: number | undefined;
  minor?: number | undefined;
}

/** Shares from which each severity is, the worst first. */
function sharesOf(settings: Given) {
  return (["critical", "major", "minor"] as const).flatMap((severity) => {
    const from = settings[severity];
    return from === undefined ? [] : [{ severity, from: from / 100 }];
  });
}

export interface CallState {
  severity: Severity;
  sinceMs: number | undefined;
  /** When it was last left: what came before is over. */
  leftMs: number;
}

/** Calls are judged over these spans, so that few calls a minute can be told as well as many. */
const WINDOWS_MS = [MINUTE_MS, 2 * MINUTE_MS, 5 * MINUTE_MS] as const;
/** An alarm is left when less than this part of the mildest share is so, or the score falls under this. */
const EASED = 0.5;
const CALM_SCORE = 25;
/** Without any calls an alarm stands for so long. */
const SILENT_MS = 10 * MINUTE_MS;

/** Calls of a stretch of time, and how likely it is by chance that so many are bad. */
export interface CallWindow {
  fromMs: number;
  calls: number;
  bad: number;
  p: number;
  /** How long they took beside their usual, where that is told. */
  time: ReturnType<typeof longerThanUsual> | undefined;
}

const METRICS = { failing: "calls.failing", slow: "calls.slow" } as const;

/** Judges calls against their usual share of failures, or of slow ones: see docs, “Methods”. */
export const calls: Detector<CallSettings, CallState, "calls"> = {
  type: "calls",
  label: "Failing or slow calls",
  about:
    "Compares the calls of the last minutes with what is usual for each operation: how many fail, or take longer than usually few do.",
  what: "calls",
  settings: callSettings,
  reads: ({ condition }) => ({ what: "calls", metric: METRICS[condition] }),
  memory: () => ({ ms: WINDOWS_MS.at(-1) as number, inputs: 1 }),
  fresh: (severity = "cleared") => ({ severity, sinceMs: undefined, leftMs: Number.NEGATIVE_INFINITY }),
  direction: () => "above",
  limits: () => [],
  describe: (settings) => {
    const shares = sharesOf(settings).map(({ severity, from }) => `${severity} from ${formatValue(from * 100, "%")}`);
    const what = settings.condition === "failing" ? "Failing calls" : "Calls slower than usual";
    const tiers = [
      ...(shares.length ? [`${shares.join(", ")} of the calls`] : []),
      ...(settings.longer === undefined ? [] : [`minor from ${settings.longer} times as long on average`]),
    ];
    return `${what}: ${tiers.join(", or ")} of 1, 2 or 5 min, at a score of ${settings.score}`;
  },

  /**
   * The least likely of the windows counts, its probability taken for as many windows as there are (Bonferroni). What
   * is severe follows from the share of calls, or how much longer they took, not from the probability.
   */
  evaluate: (settings, state, { atMs, points, usual }, { unit }) => {
    const what = unit || "calls";
    if (usual.calls < LEAST_KNOWN) return undefined;
    const windows = WINDOWS_MS.map((ms) =>
      windowOf(settings.condition, points, usual, Math.max(atMs - ms, state.leftMs)),
    );
    const long = windows.at(-1) as CallWindow;
    if (long.calls === 0) {
      const last = points.at(-1)?.atMs ?? Number.NEGATIVE_INFINITY;
      if (state.severity === "cleared" || atMs - last < SILENT_MS) return undefined;
      return clear(state, atMs, `No more ${what} come`);
    }
    if (state.severity !== "cleared") {
      // The latest two minutes tell first that it is over; five would keep what is past for longer. What came before it
      // began makes no end of it: the last minute must be well too.
      const recent = (windows[1] as CallWindow).calls >= settings.leastCalls ? (windows[1] as CallWindow) : long;
      const last = windows[0] as CallWindow;
      if (isEased(settings, recent) && (last.calls < settings.leastCalls || isEased(settings, last)))
        return clear(
          state,
          atMs,
          `${recent.bad} of ${recent.calls} ${what} ${settings.condition === "failing" ? "failed" : "were slow"}: as usual again`,
        );
    }
    const found = byShare(settings, windows, usual, atMs, what) ?? byTime(settings, windows, atMs, what);
    // It is not called better while it lasts: only its end is told.
    if (!found || severityRank(found.severity) <= severityRank(state.severity)) return undefined;
    state.sinceMs ??= onsetOf(settings.condition, points, usual, found.fromMs);
    state.severity = found.severity;
    return { severity: found.severity, score: found.score, onsetMs: state.sinceMs, text: found.text };
  },
};

interface Found {
  severity: Severity;
  score: number;
  fromMs: number;
  text: string;
}

function byShare(
  settings: CallSettings,
  windows: readonly CallWindow[],
  usual: CallUsual,
  atMs: number,
  what: string,
): Found | undefined {
  const worst = windows.reduce((least, one) => (one.p < least.p ? one : least));
  const score = scoreOf(Math.min(1, worst.p * windows.length));
  const share = worst.calls ? worst.bad / worst.calls : 0;
  const severity = sharesOf(settings).find((one) => share >= one.from)?.severity;
  if (!severity || worst.bad < settings.leastCalls || score < settings.score) return undefined;
  return { severity, score, fromMs: worst.fromMs, text: textOf(settings.condition, worst, usual, atMs, what) };
}

function byTime(
  { longer, leastCalls, score: least }: CallSettings,
  windows: readonly CallWindow[],
  atMs: number,
  what: string,
) {
  if (longer === undefined) return undefined;
  let found: Found | undefined;
  for (const { time, fromMs } of windows) {
    if (!time || time.calls < leastCalls || !(time.times >= longer)) continue;
    const score = scoreOf(Math.min(1, time.p * windows.length));
    if (score < least || score <= (found?.score ?? 0)) continue;
    const minutes = Math.max(1, Math.ceil((atMs - fromMs) / MINUTE_MS));
    const [took, usually] = [time.tookUs, time.usualUs].map((us) => formatValue(us / time.calls / 1000, "ms"));
    found = {
      severity: "minor",
      score,
      fromMs,
      text: `${time.calls} ${what} took ${took} on average within ${minutes} min (${usually} usually)`,
    };
  }
  return found;
}

/** Whether nothing of what raises an alarm is nearly so any more. */
export function isEased(settings: CallSettings, { bad, calls, p, time }: CallWindow): boolean {
  const mildest = sharesOf(settings).at(-1)?.from ?? Number.POSITIVE_INFINITY;
  if (bad / calls >= mildest * EASED && scoreOf(p) >= CALM_SCORE) return false;
  if (settings.longer === undefined || !time) return true;
  return time.times < 1 + (settings.longer - 1) * EASED || scoreOf(time.p) < CALM_SCORE;
}

const badOf = (condition: CallSettings["condition"], point: CallPoint) =>
  condition === "failing" ? point.failed : point.slow;

/** The calls that began after an instant. */
export function windowOf(
  condition: CallSettings["condition"],
  points: readonly CallPoint[],
  usual: CallUsual,
  fromMs: number,
): CallWindow {
  let calls = 0;
  let bad = 0;
  let minutes = 0;
  let last = Number.NaN;
  for (const point of points) {
    if (point.atMs <= fromMs) continue;
    calls += point.calls;
    bad += badOf(condition, point);
    const minute = Math.floor(point.atMs / MINUTE_MS);
    if (minute !== last && point.calls > 0) {
      last = minute;
      minutes++;
    }
  }
  bad = Math.round(bad);
  const usually = condition === "failing" ? usual.failed : usual.slow;
  const p = calls ? shareAtLeast(Math.min(bad, calls), calls, usually.share, alikeOver(usually, minutes)) : 1;
  return { fromMs, calls, bad, p, time: condition === "slow" ? timeOf(points, usual, fromMs) : undefined };
}

function timeOf(points: readonly CallPoint[], { time }: CallUsual, fromMs: number) {
  if (!time) return undefined;
  return longerThanUsual(
    points.flatMap(({ atMs, calls, tookUs, usualUs = calls * time.meanUs }) =>
      atMs > fromMs && tookUs !== undefined && Number.isFinite(tookUs) && Number.isFinite(usualUs)
        ? [{ calls, tookUs, usualUs }]
        : [],
    ),
    time,
  );
}

/** The first of the moments in a row, back from the last, in which more than twice the usual share were so. */
function onsetOf(
  condition: CallSettings["condition"],
  points: readonly CallPoint[],
  usual: CallUsual,
  fromMs: number,
): number {
  const { share } = condition === "failing" ? usual.failed : usual.slow;
  let onset = points.find((one) => one.atMs > fromMs && badOf(condition, one) > 0)?.atMs ?? fromMs;
  for (const point of points.toReversed()) {
    if (point.calls === 0 || point.atMs >= onset) continue;
    if (badOf(condition, point) / point.calls <= 2 * share) break;
    onset = point.atMs;
  }
  return onset;
}

function clear(state: CallState, atMs: number, text: string) {
  state.severity = "cleared";
  state.sinceMs = undefined;
  state.leftMs = atMs;
  return { severity: "cleared" as const, score: 0, onsetMs: atMs, text };
}

function textOf(
  condition: CallSettings["condition"],
  { calls, bad, fromMs }: CallWindow,
  usual: CallUsual,
  atMs: number,
  what: string,
) {
  const minutes = Math.max(1, Math.ceil((atMs - fromMs) / MINUTE_MS));
  const { share } = condition === "failing" ? usual.failed : usual.slow;
  const usually = `${formatValue(share * 100, "%")} usually`;
  return condition === "failing"
    ? `${bad} of ${calls} ${what} failed within ${minutes} min (${usually})`
    : `${bad} of ${calls} ${what} took longer than ${limitText(usual.limitUs)} within ${minutes} min (${usually})`;
}

/** Operations of a service have a limit each. */
const limitText = (limitUs: number) =>
  Number.isFinite(limitUs) ? formatValue(limitUs / 1000, "ms") : "few of them usually do";
