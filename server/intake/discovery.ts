import { matchConnections, type HostConnections } from "#core/discovery/connections";
import { inSpans, type AddressSpan } from "#core/discovery/ranges";
import { recognise, type Draft } from "#core/discovery/recognise";
import { isRead, reconcile, type FactChange } from "#core/discovery/reconcile";
import type { AddressSighting } from "#core/discovery/sighting";
import { isHostLike } from "#core/kinds";
import { insertChange } from "../store/changes";
import type { Db } from "../store/database";
import {
  addKeys,
  componentsWithFact,
  currentComponents,
  insertComponent,
  inventoryAt,
  knownComponents,
  markMissed,
  markSeen,
  missRelations,
  retireComponent,
  seeRelation,
  writeFact,
  writeInventory,
} from "../store/estate";
import { insertFinding, type FindingOutcome, type SourceRow } from "../store/sweeps";

export interface TakenIn {
  found: Partial<Record<FindingOutcome, number>>;
  retired: number[];
}

const describeChange = ({ fact, before, after }: FactChange) =>
  before === undefined ? `${fact} is now “${after}”` : after === undefined ? `${fact} “${before}” is no longer told` : `${fact}: “${before}” became “${after}”`;

/**
 * Takes the sightings of one sweep into the estate, in one transaction: matches them with what is known, writes what is
 * new, changed and gone with its time, and the relations that follow from connections and neighbours.
 * @param complete false when the sweep was stopped early; nothing is then counted as missing
 */
export function takeInSightings(db: Db, sweepId: number, source: SourceRow, spans: readonly AddressSpan[], sightings: readonly AddressSighting[], complete: boolean, atMs: number): TakenIn {
  return db.transaction(() => {
    const found: TakenIn["found"] = {};
    const by = `sweep of ${source.name}`;
    const note = (outcome: FindingOutcome, componentId: number | null, address: string, title: string, detail: string) => {
      found[outcome] = (found[outcome] ?? 0) + 1;
      insertFinding(db, sweepId, { outcome, component_id: componentId, address, title, detail: detail.slice(0, 600) });
    };
    const recognised = sightings.flatMap((sighting) => {
      const result = recognise(sighting);
      return result ? [{ sighting, ...result }] : [];
    });
    for (const { sighting } of recognised) for (const failure of sighting.failures) note("failed", null, sighting.address, sighting.address, failure.reason);

    const seen = new Set<number>();
    const take = (drafts: { draft: Draft; address: string; hostId: number | null }[]): number[] => {
      const known = knownComponents(db);
      const results = reconcile(drafts.map((one) => one.draft), known);
      return results.map((result, index) => {
        const { address, hostId } = drafts[index] as (typeof drafts)[number];
        const { draft } = result;
        let id: number;
        if (result.outcome === "new") {
          id = insertComponent(
            db,
            { kind: draft.kind, name: draft.name, site: source.site, sourceId: source.id, hostId, address: hostId === null ? address : null, reason: draft.reasons.join("; "), keys: draft.keys, facts: draft.facts },
            atMs,
          );
          note("new", id, address, draft.name, `${draft.reasons.join("; ")}. New because ${result.reason}.`);
          insertChange(db, { atMs, kind: "component", componentId: id, summary: `${draft.name} was found for the first time`, by });
        } else {
          id = result.id;
          addKeys(db, id, draft.keys);
          const before = known.find((one) => one.id === id);
          const keeps = draft.outside && before !== undefined && isRead(before);
          markSeen(db, id, atMs, keeps ? before.kind : draft.kind, keeps ? before.name : draft.name, hostId === null ? address : null);
          for (const change of result.outcome === "same" ? [] : result.changes) if (change.fact !== "kind" && change.fact !== "name") writeFact(db, id, change.fact, change.after, atMs);
          if (draft.facts["open ports"]) writeFact(db, id, "open ports", draft.facts["open ports"], atMs);
          if (result.outcome === "back") {
            note("back", id, address, draft.name, `Seen again: ${result.reason}.`);
            insertChange(db, { atMs, kind: "component", componentId: id, summary: `${draft.name} is back`, by });
          } else if (result.outcome === "changed") {
            const told = result.changes.map(describeChange).join("; ");
            note("changed", id, address, draft.name, `${told}. Recognised by ${result.reason}.`);
            insertChange(db, { atMs, kind: "setting", componentId: id, summary: `${draft.name}: ${told}`, by });
          }
        }
        seen.add(id);
        return id;
      });
    };

    const hostIds = take(recognised.map(({ host, sighting }) => ({ draft: host, address: sighting.address, hostId: null })));
    const hostOfName = new Map<string, number>();
    recognised.forEach(({ sighting, host }, index) => {
      const id = hostIds[index] as number;
      if (sighting.system) writeInventory(db, id, sighting.system, atMs);
      hostOfName.set(host.name, id);
    });
    // A host that told its system before keeps the parts it told of, whatever its ports look like from outside.
    const read = componentsWithFact(db, "object id");
    const unread = new Set(recognised.flatMap(({ sighting }, index) => (!sighting.system && read.has(hostIds[index] as number) ? [hostIds[index] as number] : [])));
    const parts = recognised.flatMap(({ parts: drafts, sighting }, index) =>
      unread.has(hostIds[index] as number) ? [] : drafts.map((draft) => ({ draft, address: sighting.address, hostId: hostIds[index] as number })),
    );
    const partIds = take(parts);

    const relationsSeen = new Set<number>();
    const relate = (relation: Parameters<typeof seeRelation>[1], told: string) => {
      const result = seeRelation(db, relation, atMs);
      relationsSeen.add(result.id);
      if (result.isNew && told && knewBoth(relation.fromId, relation.toId)) insertChange(db, { atMs, kind: "relation", componentId: relation.fromId, summary: told, by });
    };
    const newcomers = new Set<number>();
    for (const row of currentComponents(db)) if (row.valid_from === atMs) newcomers.add(row.id);
    const knewBoth = (from: number, to: number) => !newcomers.has(from) && !newcomers.has(to);

    parts.forEach(({ hostId }, index) => relate({ type: "runs-on", fromId: partIds[index] as number, toId: hostId, detail: "", connections: 0, seenBy: "" }, ""));

    // Connections are matched over the whole estate: hosts of other sources come with their last inventory.
    const partOf = new Map<string, number>();
    const tables: HostConnections[] = [];
    const lookedAt = new Set<number>([...hostIds, ...partIds]);
    for (const row of currentComponents(db)) {
      if (row.host_id !== null) {
        const process = row.name.split(" @ ")[0];
        if (process) partOf.set(`${row.host_id}|${process}`, row.id);
        continue;
      }
      if (!isHostLike(row.kind) || !row.address) continue;
      const inventory = inventoryAt(db, row.id, atMs);
      if (inventory) tables.push({ host: String(row.id), addresses: [row.address], software: inventory.software, listeners: inventory.listeners, connections: inventory.connections });
    }
    const matched = matchConnections(tables);
    const nameOf = new Map(currentComponents(db).map((row) => [row.id, row.name]));
    const idOfName = new Map([...nameOf].map(([id, name]) => [name, id]));
    for (const talk of matched.conversations) {
      const fromId = partOf.get(`${talk.fromHost}|${talk.fromProcess}`);
      const toId = partOf.get(`${talk.toHost}|${talk.toProcess}`);
      if (fromId === undefined || toId === undefined || fromId === toId) continue;
      relate(
        { type: "talks-to", fromId, toId, detail: `tcp/${talk.port}`, connections: talk.connections, seenBy: talk.seenBy },
        `${nameOf.get(fromId)} now talks to ${nameOf.get(toId)} on port ${talk.port}`,
      );
    }
    for (const peer of matched.unknown) {
      const hostId = Number(peer.host);
      if (!seen.has(hostId)) continue;
      note("unmatched", partOf.get(`${peer.host}|${peer.process}`) ?? hostId, peer.remoteAddress, `${peer.process} @ ${nameOf.get(hostId)}`, `Talks to ${peer.remoteAddress}:${peer.remotePort} (${peer.connections} connections), which no source covers. Add a range if it is yours.`);
    }
    for (const { sighting, host } of recognised)
      for (const neighbour of sighting.system?.neighbours ?? []) {
        const own = hostOfName.get(host.name);
        const other = idOfName.get(neighbour.systemName.split(".")[0] ?? "");
        if (own !== undefined && other !== undefined) relate({ type: "wired-to", fromId: other, toId: own, detail: `port ${neighbour.localPort}`, connections: 0, seenBy: "" }, "");
      }

    const retired: number[] = [];
    if (complete) {
      for (const row of currentComponents(db)) {
        if (row.source_id !== source.id || seen.has(row.id) || retired.includes(row.id)) continue;
        const hostMissed = row.host_id !== null && (!seen.has(row.host_id) || unread.has(row.host_id));
        if (row.host_id === null && row.address && !inSpans(row.address, spans)) continue;
        if (hostMissed) continue;
        if (markMissed(db, row.id) < 2) {
          note("missing", row.id, row.address ?? "", row.name, "Not seen in this sweep. It stays under watch until a second sweep in a row misses it.");
          continue;
        }
        const gone = [row, ...currentComponents(db).filter((part) => part.host_id === row.id)];
        for (const one of gone) {
          retireComponent(db, one.id, atMs);
          retired.push(one.id);
          note("gone", one.id, one.address ?? row.address ?? "", one.name, "Missed by two sweeps in a row, so it is no longer watched. Its history stays.");
          insertChange(db, { atMs, kind: "component", componentId: one.id, summary: `${one.name} is gone`, by });
        }
      }
      for (const closed of missRelations(db, lookedAt, relationsSeen, atMs))
        if (closed.type === "talks-to") insertChange(db, { atMs, kind: "relation", componentId: closed.from_id, summary: `${nameOf.get(closed.from_id)} no longer talks to ${nameOf.get(closed.to_id)}`, by });
    }
    return { found, retired };
  })();
}
