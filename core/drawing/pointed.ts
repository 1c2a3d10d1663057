import { Interaction, type InteractionItem, type InteractionModeFunction } from "chart.js";

/**
 * What the pointer finds: the point of one line that is nearest along the time axis, whatever else is drawn. The
 * library's own ways take the place of the nearest point of any line for the place in all of them, which is wrong as
 * soon as lines have different points.
 */
const nearestOf =
  (label: string): InteractionModeFunction =>
  (chart, event): InteractionItem[] => {
    const index = chart.data.datasets.findIndex((one) => one.label === label);
    const { left = 0, right = 0 } = chart.chartArea ?? {};
    const x = event.x ?? Number.NaN;
    if (index === -1 || !(x >= left && x <= right)) return [];
    let best: InteractionItem | undefined;
    chart.getDatasetMeta(index).data.forEach((element, place) => {
      if ("skip" in element && element.skip) return;
      if (!best || Math.abs(element.x - x) < Math.abs(best.element.x - x))
        best = { element, datasetIndex: index, index: place };
    });
    return best ? [best] : [];
  };

const MODES: Record<string, InteractionModeFunction> = Interaction.modes as never;

/** Name of the way of pointing at the line with a label, for the options of a drawing. */
export function ofLine(label: string): "nearest" {
  const name = `nearest of ${label}`;
  MODES[name] ??= nearestOf(label);
  return name as "nearest";
}
