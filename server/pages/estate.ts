import { collections, labelChoices } from "../store/labels";
import { seriesById, readSamples } from "../store/signals";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { estateFacets, factNames, groupEstate, listEstate, type EstateQuestion } from "../store/estate-list";

export function estatePage(db: Db, question: EstateQuestion & { group?: string }) {
  return {
    ...listEstate(db, question),
    groups: question.group ? groupEstate(db, question, question.group) : null,
    factNames: factNames(db),
    ...estateFacets(db, question.atMs),
    labels: labelChoices(db),
    collections: collections(db),
  };
}

/** Every sample of a series in a window, not thinned. */
export function samplesPage(db: Db, { seriesId, fromMs, toMs }: { seriesId: number; fromMs: number; toMs: number }) {
  const series = seriesById(db, seriesId);
  if (!series) return null;
  const owner = series.component_id === null ? "" : (componentById(db, series.component_id)?.name ?? "");
  const { times, values } = readSamples(db, seriesId, fromMs, toMs);
  return { owner, metric: series.metric, instance: series.instance, unit: series.unit, times, values };
}
