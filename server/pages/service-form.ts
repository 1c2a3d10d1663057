import { fitsPattern } from "#core/estate/pattern";
import { patternOfName, proposeApplication, redundantSets, type Candidate } from "#core/topology/application";
import type { Db } from "../store/database";
import { currentComponents } from "../store/estate";
import { currentRelations } from "../store/relations";
import { listServices, membersAt, serviceOfUid, type EntryPattern, type ServiceDetails } from "../store/services";

/** What may enter a service: parts of hosts. */
const MOST_ENTRIES = 40;

/** What the form of a service shows: its fields, its entry points, and the whole application behind them for approval. */
export function serviceFormPage(
  db: Db,
  { uid, from, atMs }: { uid: string | null; from: readonly number[]; atMs: number },
) {
  const service = uid === null ? undefined : serviceOfUid(db, uid);
  if (uid !== null && (!service || service.retiredAt !== null)) return null;
  const candidates = candidatesFor(db, service?.id, atMs);
  const find = (id: number) => candidates.get(id);
  const matching = (pattern: EntryPattern) =>
    [...candidates.values()]
      .filter(({ hostId, label }) => {
        const host = hostId === null ? undefined : candidates.get(hostId)?.name;
        return (
          label !== null && host !== undefined && fitsPattern(pattern.host, host) && fitsPattern(pattern.process, label)
        );
      })
      .map((one) => one.id);
  const added = from.flatMap((id): EntryPattern[] => {
    const one = find(id);
    const host = one?.hostId == null ? undefined : find(one.hostId);
    if (!one?.label || !host) return [];
    return [likest({ host: host.name, process: one.label }, matching)];
  });
  const entries = unique([...(service?.entries ?? []), ...added]).slice(0, MOST_ENTRIES);
  const entered = [...new Set(entries.flatMap(matching))];
  const { pinned = [], excluded = [] }: ServiceDetails = service?.details ?? {};
  const proposed = proposeApplication(
    entered,
    currentRelations(db).map((row) => ({
      type: row.type,
      from: row.from_id,
      to: row.to_id,
      detail: row.detail,
      seenBy: row.seen_by,
      intermittent: row.intermittent === 1,
    })),
    find,
  );
  const inProposal = new Set(proposed.map((one) => one.id));
  return {
    service: service ? { ...service, details: service.details } : null,
    others: listServices(db)
      .filter((one) => one.uid !== uid)
      .map((one) => ({ uid: one.uid, name: one.name })),
    entries: entries.map((entry) => ({ ...entry, matches: matching(entry).length })),
    members: [
      ...proposed.map((one) => ({
        ...one,
        // What people said before stands.
        taken:
          pinned.includes(one.id) ||
          (!excluded.includes(one.id) && one.taken && (!service || !one.doubt.startsWith("Nobody"))),
      })),
      ...pinned
        .filter((id) => !inProposal.has(id) && candidates.has(id))
        .map((id) => ({ id, tier: 99, why: "put in by hand", doubt: "", isReached: false, taken: true })),
    ].map((one) => ({
      ...one,
      name: find(one.id)?.name ?? "",
      kind: find(one.id)?.kind ?? "",
      services: find(one.id)?.services ?? [],
    })),
    sets: redundantSets([...inProposal], find).map(({ label, hosts, members }) => ({
      label,
      hosts,
      count: members.length,
    })),
  };
}

/** All components with the other services that they are of. */
function candidatesFor(db: Db, serviceId: number | undefined, atMs: number): Map<number, Candidate> {
  const names = new Map(listServices(db).map((one) => [one.id, one.name]));
  const servicesOf = new Map<number, string[]>();
  const entryOf = new Map<number, string[]>();
  for (const row of membersAt(db, atMs)) {
    if (row.service_id === serviceId) continue;
    const list = servicesOf.get(row.component_id) ?? [];
    list.push(names.get(row.service_id) ?? "");
    servicesOf.set(row.component_id, list);
    if (row.entry === 1)
      entryOf.set(row.component_id, [...(entryOf.get(row.component_id) ?? []), names.get(row.service_id) ?? ""]);
  }
  return new Map(
    currentComponents(db).map((row): [number, Candidate] => [
      row.id,
      {
        id: row.id,
        name: row.name,
        kind: row.kind,
        hostId: row.host_id,
        label: row.label,
        services: servicesOf.get(row.id) ?? [],
        entryOf: entryOf.get(row.id) ?? [],
      },
    ]),
  );
}

/** The pattern of an entry and its like, where there are any; else just itself. */
function likest(entry: EntryPattern, matching: (pattern: EntryPattern) => number[]): EntryPattern {
  const alike = { host: patternOfName(entry.host), process: entry.process };
  return matching(alike).length > 1 ? alike : entry;
}

const unique = (entries: readonly EntryPattern[]): EntryPattern[] => [
  ...new Map(entries.map((one) => [`${one.host} ${one.process}`, one])).values(),
];
