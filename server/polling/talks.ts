import { matchConnections, type Conversation, type HostConnections } from "#core/estate/connections";
import { relationsOfTalks } from "#core/estate/derive";
import { networkTables, type HostTables } from "#core/estate/parts";
import { takeInRelations } from "../estate/take-in";
import type { Db } from "../store/database";
import { isRelatedThroughPart } from "../store/relations";
import { componentById, inventoriesSince, partListening, partNamed, shownAddresses } from "../store/estate";

/** Who talks to whom by the tables that polls read between sweeps, so that what is short-lived is met too. */
export class Talks {
  private hosts = new Map<number, HostConnections>();
  private waiting: Conversation[] = [];

  constructor(private readonly db: Db) {}

  /** Addresses that hosts showed, with since when they show them: they are read anew only when that has changed. */
  private readonly shown = new Map<number, { since: number; addresses: readonly string[] }>();

  /** Takes up which hosts there are; what they showed last is kept. */
  reload(hosts: Iterable<{ id: number; address: string }>): void {
    const before = this.hosts;
    const since = inventoriesSince(this.db);
    this.hosts = new Map();
    for (const { id, address } of hosts) {
      const own = this.addressesOf(id, since.get(id));
      const addresses = [address, ...own.filter((one) => one !== address)];
      this.hosts.set(id, { host: String(id), addresses, tables: before.get(id)?.tables });
    }
    for (const id of this.shown.keys()) if (!this.hosts.has(id)) this.shown.delete(id);
  }

  private addressesOf(id: number, since: number | undefined): readonly string[] {
    if (since === undefined) return [];
    const known = this.shown.get(id);
    if (known?.since === since) return known.addresses;
    const addresses = shownAddresses(this.db, id);
    this.shown.set(id, { since, addresses });
    return addresses;
  }

  /** Notes what a host shows now, matched with what the others showed last. */
  note(id: number, tables: HostTables): void {
    const host = this.hosts.get(id);
    if (!host) return;
    this.hosts.set(id, { ...host, tables: networkTables(tables) });
    this.waiting.push(...matchConnections([...this.hosts.values()], new Set([String(id)])).conversations);
  }

  /** Open connections of a host by process number, as it showed them last; undefined where it shows none. */
  connectionsOf(id: number): Map<number, number> | undefined {
    const connections = this.hosts.get(id)?.tables?.connections;
    if (!connections?.length) return undefined;
    const counts = new Map<number, number>();
    for (const { pid } of connections) counts.set(pid, (counts.get(pid) ?? 0) + 1);
    return counts;
  }

  /** Writes what was met since the last time; call inside a transaction. Returns how many relations are new. */
  write(atMs: number): number {
    if (this.waiting.length === 0) return 0;
    const { db } = this;
    const relations = relationsOfTalks(this.waiting, {
      nameOf: (id) => componentById(db, id)?.name ?? `component ${id}`,
      partOf: (host, { part, listener }) =>
        (part === null ? undefined : partNamed(db, host, part)) ??
        (listener === undefined ? undefined : partListening(db, host, listener)),
    });
    this.waiting = [];
    // A host that does not tell whose a connection is stands for its process, until that is known.
    const best = relations.filter(
      (one) => componentById(db, one.from)?.host_id !== null || !isRelatedThroughPart(db, one.from, one.to, one.detail),
    );
    const observer = { sourceId: null, label: "a poll", site: "" };
    return takeInRelations(db, { observer, atMs, sinceMs: atMs, observations: [] }, best);
  }
}
