import { createHash } from "node:crypto";
import { DAY_MS } from "#core/time/windows";
import { LIMITS } from "./limits";
import type { Attribute } from "./otlp-types";

interface Client {
  sinceMs: number;
  /** Senders it spoke for, by a short hash. */
  senders: Set<string>;
  series: number;
}

/** Clients whose counts are held; those quiet longest are forgotten first. */
const MOST_CLIENTS = 500;

/**
 * What one client, an address that signals come from, may bring that is new within a day: so that one that makes names up
 * does not use up what there is for all.
 */
export class ClientBounds {
  private readonly clients = new Map<string, Client>();

  constructor(private readonly now: () => number) {}

  private of(address: string): Client {
    let client = this.clients.get(address);
    if (client && this.now() - client.sinceMs > DAY_MS) client = undefined;
    client ??= { sinceMs: this.now(), senders: new Set(), series: 0 };
    // The one heard last stands last.
    this.clients.delete(address);
    this.clients.set(address, client);
    if (this.clients.size > MOST_CLIENTS) this.clients.delete(this.clients.keys().next().value as string);
    return client;
  }

  /** Why a client may not speak for one more sender, as a sentence; undefined where it may. */
  whyNotSender(address: string, resource: readonly Attribute[]): string | undefined {
    const { senders } = this.of(address);
    const key = createHash("sha1").update(JSON.stringify(resource)).digest("base64").slice(0, 16);
    if (senders.has(key)) return undefined;
    if (senders.size >= LIMITS.sendersOfClient)
      return `This client spoke for ${LIMITS.sendersOfClient} senders within a day; further ones are not kept. Look for an attribute that differs with every request.`;
    senders.add(key);
    return undefined;
  }

  /** Counts a series that a client brings for the first time; the sentence where it may bring no more. */
  whyNotSeries(address: string): string | undefined {
    const client = this.of(address);
    if (client.series >= LIMITS.seriesOfClient)
      return `This client brought ${LIMITS.seriesOfClient} series within a day; further ones are not kept.`;
    client.series++;
    return undefined;
  }
}
