import { matchConnections, type HostConnections } from "#core/discovery/connections";
import { inSpans, type AddressSpan } from "#core/discovery/ranges";
import { draftOfGuest, recognise, type Draft } from "#core/discovery/recognise";
import { isRead, reconcile, type FactChange } from "#core/discovery/reconcile";
import type { AddressSighting } from "#core/discovery/sighting";
import { guestKey, placeGuests } from "#core/discovery/guests";
import { isHostLike } from "#core/kinds";
import { insertChange } from "../store/changes";
import type { Db } from "../store/database";
import {
  addKeys,
  closeRelations,
  componentOfKey,
  componentsWithFact,
  currentComponents,
  currentRelations,
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
  before === undefined
    ? `${fact} is now “${after}”`
    : after === undefined
      ? `${fact} “${before}” is no longer told`
      : `${fact}: “${before}” became “${after}”`;

/**
 * Takes the sightings of one sweep into the estate, in one transaction: matches them with what is known, writes what is
 * new, changed and gone with its time, and the relations that follow from connections and neighbours.
 * @param complete false when the sweep was stopped early; nothing is then counted as missing
 */
export function takeInSightings(
  db: Db,
  sweepId: number,
  source: SourceRow,
  spans: readonly AddressSpan[],
  sightings: readonly AddressSighting[],
  complete: boolean,
  atMs: number,
): TakenIn {
  return db.transaction(() => {
    const found: TakenIn["found"] = {};
    const by = `sweep of ${source.name}`;
    const note = (
      outcome: FindingOutcome,
      componentId: number | null,
      address: string,
      title: string,
      detail: string,
    ) => {
      found[outcome] = (found[outcome] ?? 0) + 1;
      insertFinding(db, sweepId, { outcome, component_id: componentId, address, title, detail: detail.slice(0, 600) });
    };
    const recognised = sightings.flatMap((sighting) => {
      const result = recognise(sighting);
      return result ? [{ sighting, ...result }] : [];
    });
    for (const { sighting } of recognised)
      for (const failure of sighting.failures) note("failed", null, sighting.address, sighting.address, failure.reason);

    const seen = new Set<number>();
    /** Takes drafts of hosts, of parts of hosts, or of machines that have no address of their own. */
    const take = (drafts: { draft: Draft; address: string; hostId: number | null; nowhere?: boolean }[]): number[] => {
      const known = knownComponents(db);
      const results = reconcile(
        drafts.map((one) => one.draft),
        known,
      );
      return results.map((result, index) => {
        const { address, hostId, nowhere } = drafts[index] as (typeof drafts)[number];
        const ownAddress = hostId === null && !nowhere ? address : null;
        const { draft } = result;
        let id: number;
        if (result.outcome === "new") {
          id = insertComponent(
            db,
            {
              kind: draft.kind,
              name: draft.name,
              site: source.site,
              sourceId: source.id,
              hostId,
              address: ownAddress,
              reason: draft.reasons.join("; "),
              keys: draft.keys,
              facts: draft.facts,
            },
            atMs,
          );
          note("new", id, address, draft.name, `${draft.reasons.join("; ")}. New because ${result.reason}.`);
          insertChange(db, {
            atMs,
            kind: "component",
            componentId: id,
            summary: `${draft.name} was found for the first time`,
            by,
          });
        } else {
          id = result.id;
          addKeys(db, id, draft.keys);
          const before = known.find((one) => one.id === id);
          const keeps = draft.outside && before !== undefined && isRead(before);
          markSeen(
            db,
            id,
            atMs,
            keeps ? before.kind : draft.kind,
            keeps ? before.name : draft.name,
            ownAddress,
            source.id,
          );
          for (const change of result.outcome === "same" ? [] : result.changes)
            if (change.fact !== "kind" && change.fact !== "name") writeFact(db, id, change.fact, change.after, atMs);
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

    const hostIds = take(
      recognised.map(({ host, sighting }) => ({ draft: host, address: sighting.address, hostId: null })),
    );
    const hostOfName = new Map<string, number>();
    recognised.forEach(({ sighting, host }, index) => {
      const id = hostIds[index] as number;
      if (sighting.system) writeInventory(db, id, sighting.system, atMs);
      hostOfName.set(host.name, id);
    });
    // A host that told its system before keeps the parts it told of, whatever its ports look like from outside.
    const read = componentsWithFact(db, "object id");
    const unread = new Set(
      recognised.flatMap(({ sighting }, index) =>
        !sighting.system && read.has(hostIds[index] as number) ? [hostIds[index] as number] : [],
      ),
    );
    const parts = recognised.flatMap(({ parts: drafts, sighting }, index) =>
      unread.has(hostIds[index] as number)
        ? []
        : drafts.map((draft) => ({ draft, address: sighting.address, hostId: hostIds[index] as number })),
    );
    const partIds = take(parts);

    const relationsSeen = new Set<number>();
    const relate = (relation: Parameters<typeof seeRelation>[1], told: string) => {
      const result = seeRelation(db, relation, atMs);
      relationsSeen.add(result.id);
      if (result.isNew && told && knewBoth(relation.fromId, relation.toId))
        insertChange(db, { atMs, kind: "relation", componentId: relation.fromId, summary: told, by });
    };
    const newcomers = new Set<number>();
    for (const row of currentComponents(db)) if (row.valid_from === atMs) newcomers.add(row.id);
    const knewBoth = (from: number, to: number) => !newcomers.has(from) && !newcomers.has(to);

    parts.forEach(({ hostId }, index) =>
      relate(
        { type: "runs-on", fromId: partIds[index] as number, toId: hostId, detail: "", connections: 0, seenBy: "" },
        "",
      ),
    );

    // Connections and guests are matched over the whole estate: hosts of other sources come with their last inventory.
    const partOf = new Map<string, number>();
    const lookedAt = new Set<number>([...hostIds, ...partIds]);
    const inventories = currentComponents(db).flatMap((row) => {
      if (row.host_id !== null) {
        const process = row.name.split(" @ ")[0];
        if (process && row.kind !== "app.container") partOf.set(`${row.host_id}|${process}`, row.id);
        return [];
      }
      const inventory = isHostLike(row.kind) && row.address ? inventoryAt(db, row.id, atMs) : undefined;
      return inventory ? [{ row, inventory }] : [];
    });

    const hypervisors = inventories
      .filter(({ inventory }) => inventory.guests?.length)
      .sort((a, b) => Number(seen.has(b.row.id)) - Number(seen.has(a.row.id)));
    const nameOfHost = new Map(inventories.map(({ row }) => [row.id, row]));
    const placed = placeGuests(
      hypervisors.map(({ row, inventory }) => ({ id: row.id, guests: inventory.guests ?? [] })),
      inventories.map(({ row, inventory }) => ({
        id: row.id,
        name: inventory.sysName || row.name,
        interfaces: inventory.interfaces,
      })),
    );
    // Machines known from below only; one that was shut down and has left the estate is not brought back.
    const below = (hypervisor: number) => nameOfHost.get(hypervisor);
    const onlyFromBelow = placed.filter(
      ({ guest, hypervisor, hostId }) =>
        hostId === null &&
        seen.has(hypervisor) &&
        (guest.state === "running" || !componentOfKey(db, guestKey(guest, hypervisor))?.retired),
    );
    const news = new Set(
      onlyFromBelow.filter(({ guest, hypervisor }) => componentOfKey(db, guestKey(guest, hypervisor)) === undefined),
    );
    const guestIds = take(
      onlyFromBelow.map(({ guest, hypervisor }) => ({
        draft: draftOfGuest(guest, guestKey(guest, hypervisor), below(hypervisor)?.name ?? ""),
        address: below(hypervisor)?.address ?? "",
        hostId: null,
        nowhere: true,
      })),
    );
    const idOf = new Map(onlyFromBelow.map((one, index) => [one, guestIds[index] as number]));
    const retired: number[] = [];
    /** Hosts that did not answer, but run by what their hypervisor says. */
    const vouchedFor = new Set<number>();
    for (const one of placed) {
      const { guest, hypervisor, hostId, why } = one;
      const id = hostId ?? idOf.get(one);
      const host = below(hypervisor);
      if (id === undefined || !host) continue;
      const name = nameOfHost.get(id)?.name ?? guest.name;
      if (news.has(one))
        note(
          "unmatched",
          id,
          host.address ?? "",
          guest.name,
          `A virtual machine on ${host.name} that no source reaches${guest.physAddresses.length ? ` (hardware address ${guest.physAddresses.join(", ")})` : ""}. Add a range if it is yours.`,
        );
      if (hostId !== null) {
        const before = componentOfKey(db, guestKey(guest, hypervisor));
        if (before && !before.retired && before.id !== id) {
          // What was known from below only turned out to be a host that is now read by itself.
          retireComponent(db, before.id, atMs);
          retired.push(before.id);
          insertChange(db, {
            atMs,
            kind: "component",
            componentId: id,
            summary: `${name} is the virtual machine ${guest.name} on ${host.name}: same ${why}`,
            by,
          });
        }
        addKeys(db, id, [guestKey(guest, hypervisor)]);
        if (guest.state === "running" && seen.has(hypervisor)) vouchedFor.add(id);
      }
      if (seen.has(hypervisor)) lookedAt.add(id);
      const left = closeRelations(db, "hosted-by", id, hypervisor, atMs);
      if (left.length)
        insertChange(db, {
          atMs,
          kind: "relation",
          componentId: id,
          summary: `${name} moved from ${left.map((other) => below(other)?.name ?? `component ${other}`).join(", ")} to ${host.name}`,
          by,
        });
      relate(
        {
          type: "hosted-by",
          fromId: id,
          toId: hypervisor,
          detail: hostId === null ? "" : `same ${why}`,
          connections: 0,
          seenBy: "",
        },
        left.length ? "" : `${name} is hosted by ${host.name}`,
      );
    }

    const tables = inventories.map(({ row, inventory }): HostConnections => ({
      host: String(row.id),
      addresses: [row.address as string],
      software: inventory.software,
      listeners: inventory.listeners,
      connections: inventory.connections,
    }));
    const matched = matchConnections(tables);
    const nameOf = new Map(currentComponents(db).map((row) => [row.id, row.name]));
    const idOfName = new Map([...nameOf].map(([id, name]) => [name, id]));
    for (const talk of matched.conversations) {
      const fromId = partOf.get(`${talk.fromHost}|${talk.fromProcess}`);
      const toId = partOf.get(`${talk.toHost}|${talk.toProcess}`);
      if (fromId === undefined || toId === undefined || fromId === toId) continue;
      relate(
        {
          type: "talks-to",
          fromId,
          toId,
          detail: `tcp/${talk.port}`,
          connections: talk.connections,
          seenBy: talk.seenBy,
        },
        `${nameOf.get(fromId)} now talks to ${nameOf.get(toId)} on port ${talk.port}`,
      );
    }
    for (const peer of matched.unknown) {
      const hostId = Number(peer.host);
      if (!seen.has(hostId)) continue;
      note(
        "unmatched",
        partOf.get(`${peer.host}|${peer.process}`) ?? hostId,
        peer.remoteAddress,
        `${peer.process} @ ${nameOf.get(hostId)}`,
        `Talks to ${peer.remoteAddress}:${peer.remotePort} (${peer.connections} connections), which no source covers. Add a range if it is yours.`,
      );
    }
    for (const { sighting, host } of recognised)
      for (const neighbour of sighting.system?.neighbours ?? []) {
        const own = hostOfName.get(host.name);
        const other = idOfName.get(neighbour.systemName.split(".")[0] ?? "");
        if (own !== undefined && other !== undefined)
          relate(
            {
              type: "wired-to",
              fromId: other,
              toId: own,
              detail: `port ${neighbour.localPort}`,
              connections: 0,
              seenBy: "",
            },
            "",
          );
      }

    if (complete) {
      const hypervisorOf = new Map(
        currentRelations(db).flatMap((row) => (row.type === "hosted-by" ? [[row.from_id, row.to_id] as const] : [])),
      );
      for (const row of currentComponents(db)) {
        if (row.source_id !== source.id || seen.has(row.id) || retired.includes(row.id)) continue;
        const hostMissed = row.host_id !== null && (!seen.has(row.host_id) || unread.has(row.host_id));
        if (row.host_id === null && row.address && !inSpans(row.address, spans)) continue;
        if (hostMissed || vouchedFor.has(row.id)) continue;
        // A machine known from below only is missed by a hypervisor that was read, not by one that was silent.
        const hypervisor = hypervisorOf.get(row.id);
        if (row.kind === "host.guest" && hypervisor !== undefined && (!seen.has(hypervisor) || unread.has(hypervisor)))
          continue;
        if (markMissed(db, row.id) < 2) {
          note(
            "missing",
            row.id,
            row.address ?? "",
            row.name,
            "Not seen in this sweep. It stays under watch until a second sweep in a row misses it.",
          );
          continue;
        }
        const gone = [row, ...currentComponents(db).filter((part) => part.host_id === row.id)];
        for (const one of gone) {
          retireComponent(db, one.id, atMs);
          retired.push(one.id);
          note(
            "gone",
            one.id,
            one.address ?? row.address ?? "",
            one.name,
            "Missed by two sweeps in a row, so it is no longer watched. Its history stays.",
          );
          insertChange(db, { atMs, kind: "component", componentId: one.id, summary: `${one.name} is gone`, by });
        }
      }
      for (const closed of missRelations(db, lookedAt, relationsSeen, atMs))
        if (closed.type === "talks-to")
          insertChange(db, {
            atMs,
            kind: "relation",
            componentId: closed.from_id,
            summary: `${nameOf.get(closed.from_id)} no longer talks to ${nameOf.get(closed.to_id)}`,
            by,
          });
    }
    return { found, retired };
  })();
}
