import type { Instrument } from "#core/catalogue/metrics";
import type { SeriesDef } from "./batch";
import { LIMITS } from "./limits";

/** The series of one sender and metric; they differ by their instances. */
export interface Stream {
  readonly resource: number;
  readonly metric: string;
  readonly unit: string;
  readonly instrument: Instrument;
  readonly handles: Map<string, number>;
}

const keyOf = ({ resource, metric, unit, instrument }: Omit<Stream, "handles">) =>
  `${resource}\u0000${metric}\u0000${instrument}\u0000${unit}`;

/** Gives every series a handle when it is met for the first time, and refuses what would be too many. */
export class SeriesHandles {
  private readonly streams = new Map<string, Stream>();
  private readonly ofResource = new Map<number, number>();
  /** Series the engine will not take, with its sentence. */
  private readonly refused = new Map<number, string>();
  private count = 0;
  private fresh: SeriesDef[] = [];

  /** @param mayBring asked before a new series is taken; the sentence where it may not be */
  constructor(
    private readonly nextHandle: () => number,
    private readonly mayBring: () => string | undefined = () => undefined,
  ) {}

  /** The stream of that description; it is kept once it has a series. */
  stream(resource: number, metric: string, unit: string, instrument: Instrument): Stream {
    return (
      this.streams.get(keyOf({ resource, metric, unit, instrument })) ?? {
        resource,
        metric,
        unit,
        instrument,
        handles: new Map(),
      }
    );
  }

  /** The handle of a series, or the sentence why it is not taken. */
  of(stream: Stream, instance: string): number | string {
    const known = stream.handles.get(instance);
    if (known !== undefined) return this.refused.get(known) ?? known;
    const own = this.ofResource.get(stream.resource) ?? 0;
    if (own >= LIMITS.seriesOfResource)
      return `This sender has ${LIMITS.seriesOfResource} series already; further ones are not kept. Look for an attribute that differs with every request.`;
    if (this.count >= LIMITS.series) return `There are ${LIMITS.series} series already; further ones are not kept.`;
    const refused = this.mayBring();
    if (refused !== undefined) return refused;
    const { resource, metric, unit, instrument, handles } = stream;
    const handle = this.nextHandle();
    if (handles.size === 0) this.streams.set(keyOf(stream), stream);
    handles.set(instance, handle);
    this.ofResource.set(resource, own + 1);
    this.count++;
    this.fresh.push({ handle, resource, metric, instance, unit, instrument });
    return handle;
  }

  refuse(handle: number, why: string): void {
    this.refused.set(handle, why);
  }

  /** Those met since the last call. */
  takeFresh(): SeriesDef[] {
    const { fresh } = this;
    this.fresh = [];
    return fresh;
  }

  /** Lets go of everything of some senders; returns the handles of their series. */
  release(resources: ReadonlySet<number>): number[] {
    const handles: number[] = [];
    for (const [key, stream] of this.streams) {
      if (!resources.has(stream.resource)) continue;
      this.streams.delete(key);
      for (const handle of stream.handles.values()) {
        handles.push(handle);
        this.refused.delete(handle);
        this.count--;
      }
    }
    for (const resource of resources) this.ofResource.delete(resource);
    return handles;
  }

  /** They are new again when they come the next time. */
  forget(list: readonly SeriesDef[]): void {
    for (const { handle, resource, metric, instance, unit, instrument } of list) {
      const stream = this.streams.get(keyOf({ resource, metric, unit, instrument }));
      if (stream?.handles.get(instance) !== handle) continue;
      stream.handles.delete(instance);
      if (stream.handles.size === 0) this.streams.delete(keyOf(stream));
      this.ofResource.set(resource, (this.ofResource.get(resource) ?? 1) - 1);
      this.count--;
    }
  }
}
