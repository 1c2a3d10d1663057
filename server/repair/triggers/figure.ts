import { metricInfo, metricTitle } from "#core/catalogue/metrics";
import { isPast, type FigureTrigger } from "#core/repair/triggers/figure";
import { MINUTE_MS, spokenDuration } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { readSamples, seriesOfComponent, type SeriesRow } from "../../store/signals";
import { newestFigure } from "../figures";
import type { TriggerEyes } from "./due";

/** Where nothing is asked, the newest samples decide. */
const LEAST_MS = 2 * MINUTE_MS;

const fits = (trigger: FigureTrigger, series: SeriesRow) =>
  series.metric === trigger.metric && (trigger.instance === "" || series.instance === trigger.instance);

export const figureEyes: TriggerEyes<FigureTrigger> = {
  everyMs: MINUTE_MS,
  due: (trigger, scope, { db, now }) =>
    scope.flatMap((component) =>
      seriesOfComponent(db, component.id)
        .filter((series) => fits(trigger, series))
        .flatMap((series) => {
          const spanMs = Math.max(LEAST_MS, trigger.forMinutes * MINUTE_MS);
          const values = [...readSamples(db, series.id, now() - spanMs, now()).values];
          if (!isPast(trigger, values)) return [];
          const last = values.findLast((one) => !Number.isNaN(one)) as number;
          const value = formatValue(last, series.unit);
          return [
            {
              component,
              instance: series.instance,
              why: `${metricTitle(series.metric, series.instance)} has been ${trigger.is} ${formatValue(trigger.value, series.unit)} for ${spokenDuration(spanMs)}: ${value}`,
              words: { "due.instance": series.instance, "due.value": String(last) },
            },
          ];
        }),
    ),
  watched: (trigger, { componentId, instance }, world) => {
    const series = seriesOfComponent(world.db, componentId).find(
      (one) => one.metric === trigger.metric && one.instance === instance,
    );
    if (!series) return [];
    const before = newestFigure(world, componentId, trigger.metric, instance);
    return [
      {
        alarmId: null,
        name: metricTitle(trigger.metric, instance),
        unit: series.unit || metricInfo(trigger.metric).unit,
        direction: trigger.is,
        seriesId: series.id,
        usual: trigger.value,
        before: Number.isNaN(before) ? null : before,
      },
    ];
  },
};
