import { metricName } from "#core/catalogue/metrics";
import { nearMatcher } from "#core/find/near";
import type { Db } from "../store/database";
import { componentsById, everKnown } from "../store/estate";
import {
  componentsNamedLike,
  factsLike,
  incidentsNamedLike,
  metricsNamedLike,
  patternsLike,
  relationsLike,
  servicesNamedLike,
} from "../store/find";
import { collections } from "../store/labels";
import { listRunbooks } from "../store/runbooks";
import { savedViews, VIEWED_PAGES } from "../store/saved-views";
import { listServices } from "../store/services";

const MOST = 8;
const FEW = 5;

/** What the palette finds for a few letters: first what has them, then, where that is little, what is nearly called so. */
export function findPage(db: Db, { text, atMs, who = "" }: { text: string; atMs: number; who?: string }) {
  const wanted = text.toLowerCase();
  const named = ({ name }: { name: string }) => name.toLowerCase().includes(wanted);
  const components = componentsNamedLike(db, text, atMs, MOST);
  const services = servicesNamedLike(db, text, FEW);
  // Two names, with an arrow between them or not, mean what leads from the one to the other.
  const ends = /^(\S{2,})\s+(?:(?:->|→|to)\s+)?(\S{2,})$/.exec(text.trim());
  const number = Number(/^#?(\d{1,9})$/.exec(text)?.[1]);
  return {
    components,
    services,
    incidents: incidentsNamedLike(db, text, FEW, Number.isFinite(number) ? number : undefined),
    runbooks: listRunbooks(db)
      .filter(named)
      .slice(0, FEW)
      .map((runbook) => ({ id: runbook.id, name: runbook.name })),
    collections: collections(db)
      .filter(named)
      .slice(0, FEW)
      .map(({ id, name }) => ({ id, name })),
    views: VIEWED_PAGES.flatMap((page) => savedViews(db, page, who))
      .filter(named)
      .slice(0, FEW)
      .map(({ id, page, name, query, madeBy }) => ({ id, page, name, query, madeBy })),
    facts: wanted.length < 3 ? [] : factsLike(db, text, FEW),
    metrics:
      wanted.length < 3 ? [] : metricsNamedLike(db, text, FEW).map((metric) => ({ metric, name: metricName(metric) })),
    patterns: wanted.length < 4 ? [] : patternsLike(db, text, 3),
    relations: ends ? relationsLike(db, ends[1] as string, ends[2] as string, FEW) : [],
    near:
      components.length + services.length < 3 ? nearly(db, text, atMs, new Set(components.map(({ id }) => id))) : null,
  };
}

/** Components and services that are called so but for a typing error. */
function nearly(db: Db, text: string, atMs: number, known: ReadonlySet<number>) {
  const fits = nearMatcher(text);
  const ids = everKnown(db).flatMap(({ id, name }) => (!known.has(id) && fits(name) ? [id] : []));
  return {
    services: listServices(db)
      .filter(({ name }) => !name.toLowerCase().includes(text.toLowerCase()) && fits(name))
      .slice(0, FEW)
      .map(({ uid, name }) => ({ uid, name })),
    components: componentsById(db, ids.slice(0, 50))
      .filter((row) => row.valid_to === null || row.valid_to > atMs)
      .slice(0, MOST)
      .map(({ id, name, kind, address }) => ({ id, name, kind, address })),
  };
}
