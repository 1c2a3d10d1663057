import { DAY_MS } from "../time/windows";
import type { KnownComponent, KnownRelation } from "./known";
import type { Listing } from "./observation";
import type { Change } from "./plan";
import { inSpans } from "./ranges";

/** Full listings in a row that must lack a thing before it counts as gone. */
export const MISSES_UNTIL_GONE = 2;

/** What a look established, as far as absence follows from it. */
export interface Established {
  sourceId: number | null;
  /** Components that were seen, or that something else vouches for. */
  seen: ReadonlySet<number>;
  /** Hosts whose parts were not listed: silent ones, and those seen from outside only. */
  unlisted: ReadonlySet<number>;
  /** Addresses that answered but did not let themselves be read: they are there. */
  refused: ReadonlySet<string>;
  /** Hypervisor of each machine that one tells of. */
  hypervisorOf: ReadonlyMap<number, number>;
}

/**
 * What is gone or missing because an observer that listed in full did not list it. Without a listing nothing is. A host
 * that is gone takes its parts along.
 */
export function planAbsence(
  components: Iterable<KnownComponent>,
  listings: readonly Listing[],
  established: Established,
): Change[] {
  const present = [...components].filter((one) => !one.retired);
  const changes: Change[] = [];
  const gone = new Set<number>();
  const retire = (one: KnownComponent, reason: string) => {
    for (const each of [one, ...present.filter((part) => part.hostId === one.id)]) {
      if (gone.has(each.id)) continue;
      gone.add(each.id);
      changes.push({ what: "retired", id: each.id, reason });
    }
  };
  for (const listing of listings)
    for (const one of present) {
      if (gone.has(one.id) || established.seen.has(one.id) || !covers(listing, one, established)) continue;
      if (listing.what === "these" && listing.atOnce)
        retire(
          one,
          `${listing.why ?? "It has been silent for too long"}, so it is no longer monitored. Its history is kept.`,
        );
      else if (one.missed + 1 >= MISSES_UNTIL_GONE)
        retire(one, "Missed by two sweeps in a row, so it is no longer monitored. Its history is kept.");
      else
        changes.push({
          what: "missing",
          id: one.id,
          reason: "Not seen in this sweep. It stays monitored until a second sweep in a row misses it.",
        });
    }
  return changes;
}

/** Whether absence from a listing says something of a component. */
function covers(
  listing: Listing,
  one: KnownComponent,
  { sourceId, seen, unlisted, refused, hypervisorOf }: Established,
): boolean {
  if (listing.what === "these") return listing.ids.has(one.id);
  if (one.sourceId !== sourceId) return false;
  if (listing.what === "own") return true;
  const listed = (id: number) => seen.has(id) && !unlisted.has(id);
  // Containers are told of one by one, whoever lists what runs.
  if (listing.what === "parts") return one.hostId !== null && one.container === null && listed(one.hostId);
  if (one.hostId !== null) return listed(one.hostId);
  if (one.address && refused.has(one.address)) return false;
  if (one.address) return inSpans(one.address, listing.spans);
  // A machine known from below only is missed by a hypervisor that was read, not by one that was silent.
  const hypervisor = hypervisorOf.get(one.id);
  return hypervisor === undefined || listed(hypervisor);
}

/** A relation that comes and goes has ended when nobody saw it for so long. */
const INTERMITTENT_MS = DAY_MS;

export type RelationChange =
  | { what: "missing"; relation: KnownRelation }
  /** `quiet` where something better known takes its place. */
  | { what: "ended"; relation: KnownRelation; reason: string; quiet?: true };

/**
 * Relations between components that were looked at, and that were not seen: ended at the second miss in a row. One that
 * began at a host because nobody knew whose it was ends as soon as that is known.
 */
export function planRelationAbsence(
  relations: Iterable<KnownRelation>,
  lookedAt: ReadonlySet<number>,
  seen: ReadonlySet<number>,
  /** Whether sweeps can see relations that this observer told of. */
  sweepable: (relation: KnownRelation) => boolean,
  /** Host of each part. */
  hostOf: (id: number) => number | null,
  atMs: number,
): RelationChange[] {
  const changes: RelationChange[] = [];
  const all = [...relations];
  const ends = (from: number | null, to: number | null, one: KnownRelation) =>
    `${one.type} ${from} ${to} ${one.detail}`;
  // Of what was seen with the process at an end: the same with its host there instead.
  const coarser = new Set(
    all
      .filter((one) => seen.has(one.id))
      .flatMap((one) => {
        const [from, to] = [hostOf(one.fromId), hostOf(one.toId)];
        return [ends(from, one.toId, one), ends(one.fromId, to, one), ends(from, to, one)];
      }),
  );
  for (const relation of all) {
    if (seen.has(relation.id) || !sweepable(relation)) continue;
    // One side that is looked at is enough to know better.
    if (coarser.has(ends(relation.fromId, relation.toId, relation))) {
      changes.push({ what: "ended", relation, reason: "it is known now which process that is", quiet: true });
      continue;
    }
    // What carries it is told by what is carried: containers are looked at by their own agents only.
    if (!lookedAt.has(relation.fromId) || !(relation.type === "runs-on" || lookedAt.has(relation.toId))) continue;
    const waits = relation.intermittent && atMs - relation.lastSeenAt < INTERMITTENT_MS;
    if (waits || relation.missed + 1 < MISSES_UNTIL_GONE) changes.push({ what: "missing", relation });
    else changes.push({ what: "ended", relation, reason: "missed by two sweeps in a row" });
  }
  return changes;
}
