import { metricTitle } from "#core/catalogue/metrics";
import { holds } from "#core/repair/expression";
import { fillText } from "#core/repair/fill";
import type { CheckStep } from "#core/repair/steps/check";
import { spokenDuration } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { readSamples } from "../../store/signals";
import { scopeOf } from "../figures";
import type { StepContext, TakeStep } from "./taker";

const EVERY_MS = 1000;

export const takeCheck: TakeStep<CheckStep> = (step, context) =>
  step.metric === undefined ? condition(step, context) : figure(step, step.metric, context);

/** Waits until a figure is within its limit by the mean of samples that came since the run began. */
async function figure(step: CheckStep, metric: string, context: StepContext): Promise<string | undefined> {
  const { world, target, words, signal, print, startedAtMs } = context;
  const { db, sampleWriter, now, sleep } = world;
  const instance = fillText(step.instance, words);
  const series = sampleWriter.measured(target.id, metric, instance);
  const title = metricTitle(metric, instance);
  if (!series) return `${title} is not measured on the target, so it cannot be checked.`;
  const limit = formatValue(step.value, series.unit);
  const until = now() + step.timeoutSeconds * 1000;
  let reported = 0;
  let mean = Number.NaN;
  while (now() < until && !signal.aborted) {
    const samples = readSamples(db, series.id, startedAtMs, now());
    const last = [...samples.values].slice(-step.meanOf);
    mean = last.reduce((sum, value) => sum + value, 0) / last.length;
    if (samples.times.length > reported) {
      reported = samples.times.length;
      print(
        `${title} ${formatValue(samples.values[reported - 1], series.unit)}, mean of ${last.length}: ${formatValue(mean, series.unit)} (wanted: ${step.is} ${limit})\n`,
      );
      if (last.length >= step.meanOf && (step.is === "below" ? mean < step.value : mean > step.value)) return undefined;
    }
    await sleep(EVERY_MS, signal);
  }
  return `${title} was still ${formatValue(mean, series.unit)} after ${spokenDuration(step.timeoutSeconds * 1000)}; wanted ${step.is} ${limit}.`;
}

async function condition(step: CheckStep, context: StepContext): Promise<string | undefined> {
  const { now, sleep } = context.world;
  const text = step.condition ?? "";
  const until = now() + step.timeoutSeconds * 1000;
  do {
    if (holds(text, scopeOf(context))) return undefined;
    await sleep(EVERY_MS, context.signal);
  } while (now() < until && !context.signal.aborted);
  return `${text} still does not hold after ${spokenDuration(step.timeoutSeconds * 1000)}.`;
}
