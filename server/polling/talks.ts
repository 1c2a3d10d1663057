import { matchConnections, type Conversation, type HostConnections } from "#core/estate/connections";
import { relationsOfTalks } from "#core/estate/derive";
import { networkTables, type HostTables } from "#core/estate/parts";
import { takeInRelations } from "../estate/take-in";
import type { Db } from "../store/database";
import { isRelatedThroughPart } from "../store/relations";
import { componentById, partNamed, partListening } from "../store/estate";

/** Who talks to whom by the tables that polls read between sweeps, so that what is short-lived is met too. */
export class Talks {
  private hosts = new Map<number, HostConnections>();
  private waiting: Conversation[] = [];

  constructor(private readonly db: Db) {}

  /** Takes up which hosts there are; what they showed last is kept. */
  reload(hosts: Iterable<{ id: number; addresses: readonly string[] }>): void {
    const before = this.hosts;
    this.hosts = new Map();
    for (const { id, addresses } of hosts)
      this.hosts.set(id, { host: String(id), addresses, tables: before.get(id)?.tables });
  }

  /** Notes what a host shows now, matched with what the others showed last. */
  note(id: number, tables: HostTables): void {
    const host = this.hosts.get(id);
    if (!host) return;
    this.hosts.set(id, { ...host, tables: networkTables(tables) });
    this.waiting.push(...matchConnections([...this.hosts.values()], new Set([String(id)])).conversations);
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
