import { parsePorts, parseRanges } from "#core/discovery/ranges";
import type { AddressSighting } from "#core/discovery/sighting";
import { sweepAddresses, type SweepCounts } from "../collectors/sweeper";
import { takeInSightings } from "../intake/discovery";
import type { Secrets } from "../secrets";
import type { SourceInput } from "../settings";
import { insertChange } from "../store/changes";
import { PersonError, storeTrouble, type Db } from "../store/database";
import {
  endSweep,
  insertSource,
  insertSweep,
  runningSweep,
  sourceById,
  sourceNamed,
  updateSource,
  updateSweep,
} from "../store/sweeps";
import type { LiveEvent } from "./events";

export interface SweepContext {
  db: Db;
  secrets: Secrets;
  now: () => number;
  emit: (event: LiveEvent) => void;
  tellTrouble: (message: string) => void;
  /** Called when sources were added or changed. */
  onSources: () => void;
  /** Called when a sweep was taken in, with the components that left the estate by it. */
  onEstate: (retired: readonly number[]) => void;
}

/** Sources and their sweeps: what is looked for where, and the looks under way. */
export class Sweeps {
  private readonly running = new Map<number, AbortController>();

  constructor(private readonly context: SweepContext) {}

  saveSource(id: number | undefined, fields: SourceInput, by: string): number {
    const twin = sourceNamed(this.context.db, fields.name);
    if (twin && twin.id !== id)
      throw new PersonError(
        `There is a source called “${fields.name}” already. Choose another name, or edit that one.`,
      );
    const spans = parseRanges(fields.ranges);
    if (!spans.ok) throw new PersonError(spans.problem);
    const changed = this.context.db.transaction(() => {
      if (id === undefined) {
        if (!fields.community)
          throw new PersonError("Give the SNMP community, or write a hyphen if these addresses have none.");
        const made = insertSource(
          this.context.db,
          fields,
          this.context.secrets.seal(fields.community),
          this.context.now(),
        );
        insertChange(this.context.db, {
          atMs: this.context.now(),
          kind: "setting",
          componentId: null,
          summary: `Source ${fields.name} was added`,
          by,
        });
        return made;
      }
      if (!sourceById(this.context.db, id)) throw new PersonError("That source does not exist any more.");
      updateSource(
        this.context.db,
        id,
        fields,
        fields.community ? this.context.secrets.seal(fields.community) : undefined,
      );
      insertChange(this.context.db, {
        atMs: this.context.now(),
        kind: "setting",
        componentId: null,
        summary: `Source ${fields.name} was changed`,
        by,
      });
      return id;
    })();
    this.context.onSources();
    return changed;
  }

  /** Starts a sweep and returns its id at once, or waits for its end when asked to. */
  async start(sourceId: number, by: string, wait = false): Promise<number> {
    const source = sourceById(this.context.db, sourceId);
    if (!source) throw new PersonError("That source does not exist any more.");
    if (runningSweep(this.context.db, sourceId))
      throw new PersonError(`A sweep of ${source.name} is under way already. Watch it, or stop it first.`);
    const ranges = parseRanges(source.ranges);
    const ports = parsePorts(source.ports);
    if (!ranges.ok) throw new PersonError(ranges.problem);
    if (!ports.ok) throw new PersonError(ports.problem);
    const id = insertSweep(this.context.db, sourceId, by, ranges.count, this.context.now());
    const abort = new AbortController();
    this.running.set(id, abort);
    this.context.emit({ topic: "sweep", id, state: "running" });
    const work = this.sweep(id, sourceId, ranges.spans, ports.ports, abort.signal).finally(() =>
      this.running.delete(id),
    );
    if (wait) await work;
    return id;
  }

  private async sweep(
    id: number,
    sourceId: number,
    spans: { first: number; last: number }[],
    ports: number[],
    signal: AbortSignal,
  ): Promise<void> {
    const source = sourceById(this.context.db, sourceId);
    if (!source) return;
    const counts: SweepCounts = { tried: 0, answering: 0, recognised: 0, failed: 0 };
    const sightings: AddressSighting[] = [];
    const progress = setInterval(() => {
      this.keep(() => updateSweep(this.context.db, id, counts));
      this.context.emit({ topic: "sweep", id, state: "running" });
    }, 400);
    try {
      const community = this.context.secrets.open(source.community_sealed);
      await sweepAddresses(
        { spans, ports, snmpPort: source.snmp_port, community },
        counts,
        (sighting) => sightings.push(sighting),
        () => this.context.now(),
        signal,
      );
      const complete = !signal.aborted;
      const taken = takeInSightings(this.context.db, id, source, spans, sightings, complete, this.context.now());
      this.context.onEstate(taken.retired);
      updateSweep(this.context.db, id, counts);
      const message = complete
        ? counts.answering === 0
          ? `Nothing answered on ${counts.tried} addresses. Check the range, and whether this machine can reach it.`
          : null
        : `Stopped by hand after ${counts.tried} addresses; what was found until then is kept.`;
      endSweep(this.context.db, id, complete ? "done" : "stopped", message, this.context.now());
    } catch (error) {
      this.keep(() =>
        endSweep(
          this.context.db,
          id,
          "failed",
          storeTrouble(error) ?? `The sweep broke off: ${error instanceof Error ? error.message : error}`,
          this.context.now(),
        ),
      );
    } finally {
      clearInterval(progress);
      this.context.emit({ topic: "sweep", id, state: "ended" });
      this.context.emit({ topic: "estate", atMs: this.context.now() });
    }
  }

  /** Writes something that is not worth breaking off for; trouble with the disk is said instead. */
  private keep(write: () => void): void {
    try {
      write();
    } catch (error) {
      const message = storeTrouble(error);
      if (!message) throw error;
      this.context.tellTrouble(message);
    }
  }

  stop(id: number): boolean {
    const abort = this.running.get(id);
    abort?.abort();
    return abort !== undefined;
  }

  stopAll(): void {
    for (const abort of this.running.values()) abort.abort();
  }
}
