import type { Replayed } from "#core/detection/replay";
import { alarmsIn } from "#core/detection/replay";
import { coversKind, type RuleInput } from "#core/detection/rule";
import type { Db } from "../store/database";
import { incidentsIn } from "../store/incidents";
import { listServices, membersAt } from "../store/services";

/** What a rule would have said of one thing. */
export interface Tried {
  name: string;
  instance: string;
  verdicts: readonly Replayed[];
}

/** What a preview counts. */
export type Counted = "series" | "components" | "services" | "operations" | "jobs";

const MOST_HITS = 20;

/** What a rule would have raised, beside the incidents that really were. */
export function previewOf(
  db: Db,
  words: string,
  tried: readonly Tried[],
  { fromMs, toMs, all = tried.length, of = "series" }: { fromMs: number; toMs: number; all?: number; of?: Counted },
) {
  const hits = tried.flatMap(({ name, instance, verdicts }) => {
    const found = alarmsIn(verdicts, toMs);
    return found.raised ? [{ name, instance, ...found }] : [];
  });
  return {
    ok: true as const,
    words,
    series: all,
    of,
    replayed: tried.length,
    raised: hits.reduce((sum, one) => sum + one.raised, 0),
    hits: hits.sort((a, b) => b.raised - a.raised || b.standingMs - a.standingMs).slice(0, MOST_HITS),
    more: Math.max(0, hits.length - MOST_HITS),
    incidents: incidentsIn(db, fromMs, toMs).map((one) => ({ id: one.id, title: one.title, atMs: one.opened_at })),
  };
}

/** Whether a component is in the scope of a rule: by its kind, or as a member of a service. */
export function wantedOf(
  db: Db,
  { scope }: Pick<RuleInput, "scope">,
  atMs: number,
): (id: number, kind: string) => boolean {
  if (scope.subject === "component") return (_id, kind) => coversKind(scope, kind);
  const uids = new Map(listServices(db).map((one) => [one.id, one.uid]));
  const members = new Set(
    membersAt(db, atMs)
      .filter((row) => scope.service === "*" || uids.get(row.service_id) === scope.service)
      .map((row) => row.component_id),
  );
  return (id) => members.has(id);
}
