import type { Samples } from "../telemetry/chunk";
import type { Detector, Judged, Verdict } from "./detector";

export interface Replayed extends Verdict {
  atMs: number;
}

/** What a detector would have said of samples of the past, in order: a preview of a rule. */
export function replay<Settings, State>(
  detector: Detector<Settings, State>,
  settings: Settings,
  samples: Samples,
  judged: Judged,
): Replayed[] {
  const state = detector.fresh();
  const verdicts: Replayed[] = [];
  for (let index = 0; index < samples.times.length; index++) {
    const atMs = samples.times[index] as number;
    const verdict = detector.evaluate(settings, state, { atMs, value: samples.values[index] as number }, judged);
    if (verdict) verdicts.push({ ...verdict, atMs });
  }
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
