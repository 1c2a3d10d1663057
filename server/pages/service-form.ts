import { fitsPattern } from "#core/estate/pattern";
import { entryInWords } from "#core/estate/service-list";
import { WaysIn, type Entrance } from "#core/topology/ways-in";
import { patternOfName, proposeApplication, redundantSets, type Candidate } from "#core/topology/application";
import type { Db } from "../store/database";
import { currentComponents } from "../store/estate";
import { currentRelations } from "../store/relations";
import { listServices, membersAt, serviceOfUid, type EntryPattern, type ServiceDetails } from "../store/services";
import { leadsOf } from "../causes/leads";
import { resourcesOfAll } from "../store/resources";
import { operationsOf } from "../store/spans";
import { isAnswer } from "./traces";
import { entrancesAt, fitsEntry, operationsOfEntry, type EntryNames } from "../store/ways-in";

/** What may enter a service: parts of hosts. */
const MOST_ENTRIES = 40;
/** Stands for a service that is not made yet. */
const NEW = -1;

/** What the form of a service shows: its fields, its entry points, and the whole application behind them for approval. */
export function serviceFormPage(
  db: Db,
  { uid, from, atMs }: { uid: string | null; from: readonly number[]; atMs: number },
) {
  const service = uid === null ? undefined : serviceOfUid(db, uid);
  if (uid !== null && (!service || service.retiredAt !== null)) return null;
  const candidates = candidatesFor(db, service?.id, atMs);
  const find = (id: number) => candidates.get(id);
  const namesOf = (id: number): EntryNames | undefined => {
    const { hostId = null, label = null } = candidates.get(id) ?? {};
    const host = hostId === null ? undefined : candidates.get(hostId)?.name;
    return label === null || host === undefined ? undefined : { host, label };
  };
  const matching = (pattern: EntryPattern) =>
    [...candidates.keys()].filter((id) => {
      const names = namesOf(id);
      return names !== undefined && fitsEntry(pattern, names);
    });
  const added = from.flatMap((id): EntryPattern[] => {
    const names = namesOf(id);
    return names ? [likest({ host: names.host, process: names.label }, matching)] : [];
  });
  const entries = unique([...(service?.entries ?? []), ...added]).slice(0, MOST_ENTRIES);
  const entered = [...new Set(entries.flatMap(matching))];
  const follows = followingFrom(
    db,
    service?.id ?? NEW,
    entered.map((id) => ({ component: id, operations: operationsOfEntry(entries, namesOf(id) as EntryNames) })),
    atMs,
  );
  const { pinned = [], excluded = [] }: ServiceDetails = service?.details ?? {};
  const proposed = proposeApplication(
    entered,
    currentRelations(db)
      .filter((row) => row.type !== "talks-to" || follows(row.from_id, row.to_id))
      .map((row) => ({
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
    entries: entries.map((entry) => {
      const fitting = matching(entry);
      return { ...entry, matches: fitting.length, unmet: neverAsked(db, entry, fitting) };
    }),
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

/** Whether a service goes on from one component to another that it calls, with these entry points beside those of others. */
function followingFrom(
  db: Db,
  service: number,
  own: readonly Omit<Entrance, "service">[],
  atMs: number,
): (from: number, to: number) => boolean {
  const others = entrancesAt(db, atMs).filter((one) => one.service !== service);
  const ways = new WaysIn([...others, ...own.map((one) => ({ service, ...one }))]);
  const shared = own.map((one) => one.component).filter((id) => ways.sharedComponents.has(id));
  const leads = new Map(shared.map((id) => [id, leadsOf(db, id, atMs)] as const));
  return (from, to) => ways.follows(service, from, to, leads.get(from));
}

/** Of the operations that an entry point is limited to, those that nobody ever asked there. */
function neverAsked(db: Db, { operations = [] }: EntryPattern, components: readonly number[]): string[] {
  if (operations.length === 0) return [];
  const asked = operationsOf(db, resourcesOfAll(db, components).keys()).filter((one) => isAnswer(one.kind));
  return operations.filter((pattern) => !asked.some((one) => fitsPattern(pattern, one.name)));
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
  ...new Map(entries.map((one) => [entryInWords(one), one])).values(),
];
