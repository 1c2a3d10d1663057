import { keyInWords } from "#core/estate/observation";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { factHistory } from "../store/facts";
import { hostsAlike, keysOf, mergedInto } from "../store/keys";
import { sightingsOf } from "../store/sightings";

const MOST_FACTS = 500;

/** What a component is known by, what turned out to be it, and what was told of it over time. */
export function identityPage(db: Db, { id }: { id: number }) {
  const component = componentById(db, id);
  if (!component) return null;
  const alike = new Map<number, { id: number; name: string; facts: string[] }>();
  for (const row of component.host_id === null ? hostsAlike(db, id) : []) {
    const known = alike.get(row.id) ?? { id: row.id, name: row.name, facts: [] };
    known.facts.push(`${row.fact} “${row.value}”`);
    alike.set(row.id, known);
  }
  const byFact = new Map<string, { value: string; fromMs: number; toMs: number | null }[]>();
  for (const { name, value, valid_from, valid_to } of factHistory(db, id, MOST_FACTS)) {
    const span = { value, fromMs: valid_from, toMs: valid_to };
    const list = byFact.get(name);
    if (list) list.push(span);
    else byFact.set(name, [span]);
  }
  return {
    component,
    keys: keysOf(db, id).map((one) => ({
      key: one.key,
      words: keyInWords({ value: one.key }),
      pinnedBy: one.pinned_by,
      pinnedAt: one.pinned_at,
    })),
    merged: mergedInto(db, id).map(({ keys, ...one }) => ({ ...one, keys: JSON.parse(keys) as string[] })),
    alike: [...alike.values()],
    sightings: sightingsOf(db, id),
    history: [...byFact].map(([name, spans]) => ({ name, spans })).sort((a, b) => (a.name < b.name ? -1 : 1)),
  };
}
