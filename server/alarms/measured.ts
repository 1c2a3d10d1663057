import { MINUTE_MS } from "#core/time/windows";

/**
 * Tells of which services it became measured how they do, or is not any more: their health rests on something else from
 * then on, though no alarm came or went.
 */
export class Measured {
  private known: ReadonlyMap<number, boolean> = new Map();
  private lookedMs = Number.NEGATIVE_INFINITY;

  constructor(
    private readonly services: () => Iterable<number>,
    private readonly isMeasured: (serviceId: number) => boolean,
  ) {}

  /** Those of which it changed since this was last asked; looked at once a minute, clock time. */
  changed(atMs: number): number[] {
    if (Math.abs(atMs - this.lookedMs) < MINUTE_MS) return [];
    this.lookedMs = atMs;
    const before = this.known;
    this.known = new Map([...this.services()].map((id) => [id, this.isMeasured(id)]));
    return [...this.known].flatMap(([id, is]) => (is === (before.get(id) ?? is) ? [] : id));
  }
}
