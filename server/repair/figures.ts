import type { ExpressionScope } from "#core/repair/expression";
import { MINUTE_MS } from "#core/time/windows";
import { lastSample } from "../store/signals";
import type { StepContext } from "./steps/taker";
import type { RunnerWorld } from "./world";

/** Older values say nothing of now. */
const NEW_MS = 15 * MINUTE_MS;

/** The newest value of a figure of a component; NaN where it is not measured. */
export function newestFigure(
  { sampleWriter, db, now }: Pick<RunnerWorld, "sampleWriter" | "db" | "now">,
  componentId: number,
  metric: string,
  instance: string,
) {
  const series = sampleWriter.measured(componentId, metric, instance);
  if (!series) return Number.NaN;
  const live = sampleWriter.last(series).value;
  return Number.isNaN(live) ? (lastSample(db, series.id, now(), NEW_MS)?.value ?? Number.NaN) : live;
}

/** What conditions may speak of. */
export function scopeOf(context: Pick<StepContext, "world" | "target" | "words" | "taken" | "args">): ExpressionScope {
  const { world, target, words, taken, args } = context;
  return {
    args,
    values: taken,
    target: Object.fromEntries(
      Object.entries(words).flatMap(([name, value]) => (name.startsWith("target.") ? [[name.slice(7), value]] : [])),
    ),
    figure: (metric, instance) => newestFigure(world, target.id, metric, instance),
  };
}
