import type { Samples } from "../telemetry/chunk";
import { MINUTE_MS } from "../time/windows";
import type { Range } from "./range";
import type { CallPoint, CallUsual } from "./call-usual";
import type { CallDetector, Detector, Judged, Verdict } from "./detector";

export interface Replayed extends Verdict {
  atMs: number;
}

/**
 * What a detector would have said of samples of the past, in order: a preview of a rule.
 * @param rangeAt what was usual at an instant, for detectors that learn
 * @param othersAt what others measured at an instant, for detectors that compare
 */
export function replay<Settings, State>(
  detector: Detector<Settings, State>,
  settings: Settings,
  samples: Samples,
  judged: Judged,
  rangeAt?: (atMs: number) => Range | undefined,
  othersAt?: (atMs: number) => readonly number[],
): Replayed[] {
  const state = detector.fresh();
  const verdicts: Replayed[] = [];
  for (let index = 0; index < samples.times.length; index++) {
    const atMs = samples.times[index] as number;
    const verdict = detector.evaluate(
      settings,
      state,
      { atMs, value: samples.values[index] as number, range: rangeAt?.(atMs), others: othersAt?.(atMs) },
      judged,
    );
    if (verdict) verdicts.push({ ...verdict, atMs });
  }
  return verdicts;
}

/** Calls further back than this are not looked at any more. */
const CALLS_MS = 6 * MINUTE_MS;

/** What a detector of calls would have said of calls of the past, in order: judged as each came, up to an instant. */
export function replayCalls(
  detector: CallDetector,
  settings: unknown,
  points: readonly CallPoint[],
  usual: CallUsual,
  endMs: number,
  judged: Judged,
): Replayed[] {
  const state = detector.fresh();
  const verdicts: Replayed[] = [];
  let from = 0;
  const judge = (atMs: number, until: number) => {
    while (from < until && (points[from] as CallPoint).atMs < atMs - CALLS_MS) from++;
    const verdict = detector.evaluate(settings, state, { atMs, points: points.slice(from, until), usual }, judged);
    if (verdict) verdicts.push({ ...verdict, atMs });
  };
  points.forEach(({ atMs }, index) => {
    const before = points[index - 1];
    // Where nothing came for long, what stood is looked at in between as well.
    if (before && atMs - before.atMs > CALLS_MS) judge(before.atMs + CALLS_MS, index);
    judge(atMs, index + 1);
  });
  judge(endMs, points.length);
  return verdicts;
}

/** Alarms in verdicts of one series: how many were raised, and for how long they stood in all, up to an instant. */
export function alarmsIn(verdicts: readonly Replayed[], endMs: number): { raised: number; standingMs: number } {
  let raised = 0;
  let standingMs = 0;
  let sinceMs: number | undefined;
  for (const { severity, atMs } of verdicts) {
    if (severity === "cleared") {
      if (sinceMs !== undefined) standingMs += atMs - sinceMs;
      sinceMs = undefined;
    } else if (sinceMs === undefined) {
      raised++;
      sinceMs = atMs;
    }
  }
  if (sinceMs !== undefined) standingMs += Math.max(0, endMs - sinceMs);
  return { raised, standingMs };
}
