import { DAY_MS, MINUTE_MS, SECOND_MS } from "#core/time/windows";
import type { SampleWriter } from "../ingest/sample-writer";
import { eachLimited } from "../outside/limit";
import { certificateEnd } from "../outside/tls-certificate";
import type { Db } from "../store/database";
import { listeningByTls } from "../store/estate";
import { unwatched } from "../store/labels";

/** Certificates are looked at so often, clock time; those about to end or over, which somebody renews, more often. */
const EVERY_MS = 2 * MINUTE_MS;
const SOON_EVERY_MS = 30 * SECOND_MS;
const SOON_MS = DAY_MS;
const AT_ONCE = 8;
/** Ports of one component that are looked at. */
const MOST_PORTS = 8;
/** Machine time. */
const TIMEOUT_MS = 3000;

interface Watched {
  componentId: number;
  address: string;
  ports: readonly number[];
  nextMs: number;
}

/**
 * How long the certificates of what listens by TLS are still valid, as they are shown, in days: below zero once they are
 * over. Of several ports of one, the certificate that ends first counts.
 */
export class CertificatePoller {
  private readonly watched = new Map<number, Watched>();
  private busy = false;

  constructor(
    private readonly db: Db,
    private readonly sampleWriter: SampleWriter,
  ) {}

  /** Takes up what listens by TLS, as sweeps found it. */
  reload(atMs: number): void {
    const off = unwatched(this.db);
    const listening = listeningByTls(this.db).filter((one) => !off.has(one.id));
    const ids = new Set(listening.map((one) => one.id));
    for (const id of this.watched.keys()) if (!ids.has(id)) this.watched.delete(id);
    for (const { id, address, ports } of listening)
      this.watched.set(id, { componentId: id, address, ports, nextMs: this.watched.get(id)?.nextMs ?? atMs });
  }

  /** Looks at those whose time has come; those of the last time are seen through first. */
  async pollDue(now: () => number): Promise<void> {
    if (this.busy) return;
    const atMs = now();
    const due = [...this.watched.values()].filter((one) => one.nextMs <= atMs || one.nextMs > atMs + EVERY_MS);
    if (due.length === 0) return;
    this.busy = true;
    try {
      await eachLimited(due, AT_ONCE, (one) => this.look(one, now));
    } finally {
      this.busy = false;
    }
  }

  private async look(one: Watched, now: () => number): Promise<void> {
    const ends = await Promise.all(
      one.ports.slice(0, MOST_PORTS).map((port) => certificateEnd(one.address, port, TIMEOUT_MS)),
    );
    const known = ends.filter((endsMs) => endsMs !== undefined);
    const endsMs = Math.min(...known);
    const atMs = now();
    one.nextMs = atMs + (endsMs - atMs < SOON_MS ? SOON_EVERY_MS : EVERY_MS);
    // What shows none, or does not answer, is told by others.
    if (known.length === 0) return;
    const second = Math.floor(atMs / SECOND_MS) * SECOND_MS;
    const owner = { componentId: one.componentId, serviceId: null };
    this.sampleWriter.record(
      this.sampleWriter.series(owner, "certificate.left", "", "d", second),
      second,
      Math.round(((endsMs - atMs) / DAY_MS) * 1000) / 1000,
    );
  }
}
