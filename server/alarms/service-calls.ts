import type { CallPoint, CallUsual } from "#core/detection/call-usual";
import { timeTogether } from "#core/detection/call-time";
import type { CallSettings } from "#core/detection/calls";
import { MINUTE_MS } from "#core/time/windows";
import { groupBy } from "#core/units/group";
import type { CallLine } from "./call-lines";
import type { CallPast } from "./call-past";

/** Things that can be asked of a service are judged one by one up to so many, and so are newcomers: names come from outside. */
const MOST_WAYS_IN = 200;

/** A rule about the calls of a service. */
export interface ServiceRule {
  settings: CallSettings;
}

/** Calls by which a service is entered that are judged together, and what is usual of them. */
export interface WayIn {
  /** Tells it apart from the others of the service; empty for all calls. */
  key: string;
  /** What is asked, where it is one thing. */
  name: string;
  input: { points: CallPoint[]; usual: CallUsual };
  /** Which rules are for it. */
  takes: (rule: ServiceRule) => boolean;
  /**
   * What of a rule is for these calls, and from which shares of them.
   * @param isLikely what the service relies on is in trouble: less evidence is enough
   */
  weigh: (settings: CallSettings, isLikely: boolean) => CallSettings;
  /** What is told beside a verdict of those who run the same and are no components; empty where nothing is. */
  newcomers: string;
}

/**
 * All calls by which a service is entered, those of each operation where there are several, and those of each newcomer:
 * who runs the same program as an entry point counts too, a component or not, because callers come to it all the same.
 * @param lines calls that are answered at entry points and beside them
 */
export function* waysIn(
  past: CallPast,
  lines: readonly CallLine[],
  rules: readonly ServiceRule[],
  atMs: number,
): Generator<WayIn> {
  if (rules.length === 0) return;
  const ofOthers = past.byName(lines);
  const all = together(past, lines, ofOthers, atMs);
  if (!all) return;
  const newcomers = failedAtNewcomers(lines, atMs);
  yield { key: "", name: "", input: all, takes: () => true, weigh: ofAll, newcomers };
  const byName = groupBy(lines, (line) => line.name);
  if (rules.some(isOfOneThing) && byName.size > 1)
    for (const [name, own] of [...byName].slice(0, MOST_WAYS_IN)) {
      const input = together(past, own, ofOthers, atMs);
      if (!input) continue;
      yield {
        key: `w ${name}`,
        name,
        input,
        takes: isOfOneThing,
        weigh: ofOneThing,
        newcomers: failedAtNewcomers(own, atMs),
      };
    }
  const calls = recentCalls(all.points, atMs);
  const beside = lines.filter((line) => line.newcomer !== undefined);
  for (const [newcomer, own] of [...groupBy(beside, (line) => line.newcomer)].slice(0, MOST_WAYS_IN)) {
    const input = together(past, own, ofOthers, atMs);
    const part = input && recentCalls(input.points, atMs) / calls;
    if (!input || !part) continue;
    yield {
      key: `n ${newcomer}`,
      name: "",
      input,
      takes: isFailing,
      weigh: (settings) => ofPart(settings, part),
      newcomers: failedAtNewcomers(own, atMs),
    };
  }
}

/** What one thing that is asked of a service is judged by: that it fails for nearly everybody, or takes much longer. */
const isOfOneThing = ({ settings }: ServiceRule) => settings.critical !== undefined || settings.longer !== undefined;
/** That a newcomer is slow says nothing: it has not warmed up. */
const isFailing = ({ settings }: ServiceRule) => settings.condition === "failing";

/**
 * Lines of several components as one: each with its own limit, and the usual shares weighted by its calls. Of what is
 * too new to have a past the same is usual as of others that answer the same.
 */
function together(
  past: CallPast,
  lines: readonly CallLine[],
  ofOthers: ReadonlyMap<string, CallUsual>,
  atMs: number,
): { points: CallPoint[]; usual: CallUsual } | undefined {
  const points: CallPoint[] = [];
  let calls = 0;
  let known = 0;
  let knownOfOthers = 0;
  const sums = { slow: 0, failed: 0 };
  const alike = { slow: 0, failed: 0 };
  const alikeLong = { slow: 0, failed: 0 };
  const rate = { mean: 0, variance: 0 };
  const times: Parameters<typeof timeTogether>[0][number][] = [];
  for (const line of lines) {
    const own = past.learned(line);
    const usual = own ?? ofOthers.get(line.name);
    if (!usual) continue;
    const { time } = usual;
    const told = line
      .points(usual)
      .map((one) => (time ? { ...one, usualUs: one.calls * time.meanUs } : { ...one, tookUs: undefined }));
    points.push(...told);
    const recent = recentCalls(told, atMs);
    if (time) times.push({ time, usualUs: recent * time.meanUs });
    calls += recent;
    for (const what of ["slow", "failed"] as const) {
      sums[what] += recent * usual[what].share;
      alike[what] = Math.max(alike[what], usual[what].alike);
      alikeLong[what] = Math.max(alikeLong[what], usual[what].alikeLong ?? usual[what].alike);
    }
    if (!own) {
      knownOfOthers += usual.calls;
      continue;
    }
    known += usual.calls;
    rate.mean += usual.perMinute.mean;
    rate.variance += usual.perMinute.variance;
  }
  if (known + knownOfOthers === 0) return undefined;
  const share = (what: "slow" | "failed") => ({
    share: calls ? sums[what] / calls : 0.05,
    alike: alike[what],
    alikeLong: alikeLong[what],
  });
  return {
    points: points.sort((a, b) => a.atMs - b.atMs),
    usual: {
      limitUs: Number.POSITIVE_INFINITY,
      slow: share("slow"),
      failed: share("failed"),
      time: timeTogether(times),
      perMinute: rate,
      calls: known || knownOfOthers,
    },
  };
}

/** Calls of the last five minutes. */
const recentCalls = (points: readonly CallPoint[], atMs: number) =>
  points.reduce((sum, one) => sum + (one.atMs >= atMs - 5 * MINUTE_MS ? one.calls : 0), 0);

/** Names whoever is no component and fails half of what it is asked, or more. */
function failedAtNewcomers(lines: readonly CallLine[], atMs: number): string {
  const found = new Map<string, { calls: number; failed: number }>();
  for (const line of lines) {
    if (line.newcomer === undefined) continue;
    const own = found.get(line.newcomer) ?? { calls: 0, failed: 0 };
    found.set(line.newcomer, own);
    for (const point of line.points({ limitUs: Number.POSITIVE_INFINITY })) {
      if (point.atMs < atMs - 5 * MINUTE_MS) continue;
      own.calls += point.calls;
      own.failed += point.failed;
    }
  }
  return [...found]
    .filter(([, { calls, failed }]) => failed > 0 && failed >= calls / 2)
    .map(([name, { calls, failed }]) => `; ${failed} of ${calls} at ${name}, which is not in the estate`)
    .join("");
}

/** What is likely beforehand is told of where it comes by chance once in a thousand judgements, of one of many things in ten thousand. */
const LIKELY_SCORE = 37.5;
const LIKELY_SCORE_OF_ONE = 50;
/** One of many things is told to take longer where it is half as long again, and by chance less often than all together. */
const HALF_AS_LONG = 1.5;
const SURE_SCORE = 75;

/** A rule for all calls of a service. */
const ofAll = (settings: CallSettings, isLikely: boolean): CallSettings =>
  isLikely ? { ...settings, score: Math.min(settings.score, LIKELY_SCORE) } : settings;

/**
 * As much of a rule as tells when a single thing that is asked of a service fails for nearly everybody, or takes longer;
 * or for some, where harm is likely.
 */
function ofOneThing(settings: CallSettings, isLikely: boolean): CallSettings {
  const { longer } = settings;
  return {
    ...settings,
    major: undefined,
    minor: isLikely && settings.condition === "failing" ? settings.minor : undefined,
    ...(longer === undefined ? {} : { longer: Math.max(longer, HALF_AS_LONG) }),
    score: isLikely
      ? Math.min(settings.score, LIKELY_SCORE_OF_ONE)
      : longer === undefined
        ? settings.score
        : Math.max(settings.score, SURE_SCORE),
  };
}

/**
 * A rule for a part of the calls that it is about: how severe it is follows from the share of all calls that fail there,
 * and it is told however small that is.
 */
function ofPart(settings: CallSettings, part: number): CallSettings {
  const { critical, major, minor } = settings;
  const scaled = (share: number | undefined) => (share !== undefined && share / part <= 100 ? share / part : undefined);
  const mildest = minor ?? major ?? critical;
  return { ...settings, critical: scaled(critical), major: scaled(major), minor: mildest, longer: undefined };
}
