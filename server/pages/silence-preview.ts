import type { ArrivalDetector } from "#core/detection/detector";
import type { Replayed } from "#core/detection/replay";
import type { RuleInput } from "#core/detection/rule";
import { lateAfterMs, rhythmOf, type SilenceSettings } from "#core/detection/silence";
import { kindMatches } from "#core/catalogue/kinds";
import { MINUTE_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { seriesForRules, type RuleSeries } from "../store/find-series";
import { listServices } from "../store/services";
import { readSamples } from "../store/signals";
import { previewOf, type Tried } from "./preview-shape";

const MOST_REPLAYED = 300;
const MOST_SAMPLES = 1_500_000;

/** When what came regularly would have been missed, by the gaps between what came. */
export function silencePreview(db: Db, rule: RuleInput, detector: ArrivalDetector, fromMs: number, toMs: number) {
  const settings = rule.settings as SilenceSettings;
  const { scope } = rule;
  const uids = new Map(listServices(db).map((service) => [service.id, service.uid]));
  const series = seriesForRules(db, settings.metric === "*" ? undefined : settings.metric).filter((one) =>
    scope.subject === "component"
      ? one.kind !== null && kindMatches(scope.kind, one.kind) && (settings.metric !== "*" || one.resource_id !== null)
      : one.service_id !== null && (scope.service === "*" || uids.get(one.service_id) === scope.service),
  );
  // Of whatever a component sends, one series stands for all: that it sends at all is what is asked.
  const byOwner = new Map<string, RuleSeries>();
  for (const one of series)
    byOwner.set(settings.metric === "*" && one.service_id === null ? `c${one.component_id}` : `s${one.id}`, one);
  const chosen = [...byOwner.values()];
  const tried: Tried[] = [];
  let samples = 0;
  for (const one of chosen.slice(0, MOST_REPLAYED)) {
    if (samples >= MOST_SAMPLES) break;
    const { times } = readSamples(db, one.id, fromMs, toMs);
    samples += times.length;
    tried.push({ name: one.name, instance: one.instance, verdicts: replayGaps(detector, settings, times, toMs, one) });
  }
  return previewOf(db, detector.describe(settings, ""), tried, { fromMs, toMs, all: chosen.length });
}

/** Asks the detector where something was late, and when it came again. */
function replayGaps(
  detector: ArrivalDetector,
  settings: SilenceSettings,
  times: Float64Array,
  toMs: number,
  judged: { instance: string; unit: string },
): Replayed[] {
  const rhythmMs = rhythmOf(times);
  if (rhythmMs === undefined) return [];
  const state = detector.fresh();
  const verdicts: Replayed[] = [];
  const ask = (atMs: number, lastMs: number) => {
    const verdict = detector.evaluate(settings, state, { atMs, lastMs, rhythmMs }, judged);
    if (verdict) verdicts.push({ ...verdict, atMs });
  };
  const late = lateAfterMs(settings, rhythmMs);
  for (let index = 0; index < times.length; index++) {
    const lastMs = times[index] as number;
    const next = times[index + 1] ?? toMs;
    if (next - lastMs <= late) continue;
    ask(lastMs + late + 1, lastMs);
    if (next - lastMs > settings.forget * 60 * MINUTE_MS) ask(lastMs + settings.forget * 60 * MINUTE_MS + 1, lastMs);
    if (index + 1 < times.length) ask(next, next);
  }
  return verdicts;
}
