import { prepared, type Db } from "../store/database";
import type { RelationRow } from "../store/relations";
import { membersOf, type relianceAt, type ServiceRow } from "../store/services";

const MOST_EVIDENCE = 3;

/** What a service was said to rely on, beside what it is seen to rely on; null where nobody has said anything. */
export function declaredOf(
  db: Db,
  service: ServiceRow,
  known: {
    services: readonly ServiceRow[];
    reliance: ReturnType<typeof relianceAt>;
    relations: readonly RelationRow[];
    nameOf: (id: number) => string;
  },
  atMs: number,
) {
  const { reliesOn } = service.details;
  if (!reliesOn) return null;
  const declared = new Set(reliesOn);
  const used = known.reliance.get(service.id) ?? new Set<number>();
  const own = new Set(membersOf(db, service.id, atMs).map((row) => row.component_id));
  const evidenceOf = (other: ServiceRow) => {
    const theirs = new Set(membersOf(db, other.id, atMs).map((row) => row.component_id));
    return known.relations
      .filter((row) => own.has(row.from_id) && theirs.has(row.to_id) && !own.has(row.to_id))
      .slice(0, MOST_EVIDENCE)
      .map((row) => ({ id: row.id, from: known.nameOf(row.from_id), to: known.nameOf(row.to_id), type: row.type }));
  };
  const others = known.services.filter((one) => one.id !== service.id);
  const named = ({ uid, name }: ServiceRow) => ({ uid, name });
  return {
    agreed: others.filter((one) => declared.has(one.uid) && used.has(one.id)).map(named),
    /** Used, and nobody said so. */
    hidden: others
      .filter((one) => !declared.has(one.uid) && used.has(one.id))
      .map((one) => ({ ...named(one), evidence: evidenceOf(one) })),
    /** Said, and not seen; with the instant when it was seen last. */
    unused: others
      .filter((one) => declared.has(one.uid) && !used.has(one.id))
      .map((one) => ({ ...named(one), seenMs: lastSeen(db, service.id, one.id, atMs) })),
  };
}

const lastSeen = (db: Db, service: number, on: number, atMs: number): number | null =>
  prepared<{ at: number | null }>(
    db,
    "SELECT max(valid_to) AS at FROM reliance WHERE service_id = ? AND on_service_id = ? AND valid_to <= ?",
  ).get(service, on, atMs)?.at ?? null;
