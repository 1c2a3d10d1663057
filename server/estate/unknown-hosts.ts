import { hostsOfSenders, isUnmatched, lastResource } from "../store/resources";
import type { Db } from "../store/database";
import { HOUR_MS } from "#core/time/windows";

/** A new sender's host may be told of by its own agent, or by its platform, in so much time. */
const GRACE_MS = 30_000;
/** A host that nobody finds is not looked for longer than that. */
const LONGEST_MS = HOUR_MS;
const LONGEST_NAME = 80;

/** A host that began to send and is in no estate. */
export interface UnknownHost {
  /** As its sender calls it, cut where it is long. */
  name: string;
  sinceMs: number;
}

/** Watches for new senders on hosts that are in no estate: those are worth a sweep before its time. */
export class UnknownHosts {
  private last: number | undefined;
  private found: (UnknownHost & { sender: number }) | undefined;

  constructor(private readonly db: Db) {}

  /** The one that came last and is unknown still; those that were there when this was first asked are left to the sweeps' own time. */
  look(atMs: number): UnknownHost | undefined {
    this.last ??= lastResource(this.db);
    for (const { id, component_id, host } of hostsOfSenders(this.db, this.last, atMs - GRACE_MS)) {
      this.last = id;
      if (component_id === null && host) this.found = { name: host.slice(0, LONGEST_NAME), sinceMs: atMs, sender: id };
    }
    if (this.found && (atMs - this.found.sinceMs > LONGEST_MS || !isUnmatched(this.db, this.found.sender)))
      this.found = undefined;
    return this.found;
  }
}
