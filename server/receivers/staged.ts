/** What one batch would change, until it is known what became of it. */
export type Overlay<K, V> = Map<K, V>;

/**
 * State that follows what was sent, and that a batch which was not kept must not change. What is set belongs to the
 * batch under construction; it is seen by later batches at once, but taken over only when its own is committed, and
 * gone without a trace when that is abandoned. What is committed is bounded: of what was not touched for longest, most
 * is forgotten.
 */
export class Staged<K, V> {
  private readonly committed = new Map<K, V>();
  private current: Overlay<K, V> = new Map();
  private readonly pending: Overlay<K, V>[] = [];
  private weight = 0;

  /**
   * @param most weight of everything committed, at the most
   * @param weigh weight of one value; each is 1 where it is left out
   */
  constructor(
    private readonly most: number,
    private readonly weigh: (value: V) => number = () => 1,
  ) {}

  get size(): number {
    return this.committed.size;
  }

  get(key: K): V | undefined {
    const own = this.current.get(key);
    if (own !== undefined) return own;
    for (let index = this.pending.length - 1; index >= 0; index--) {
      const staged = (this.pending[index] as Overlay<K, V>).get(key);
      if (staged !== undefined) return staged;
    }
    return this.committed.get(key);
  }

  set(key: K, value: V): void {
    this.current.set(key, value);
  }

  /** Closes the batch under construction; what was set since the last call waits to be settled or abandoned. */
  take(): Overlay<K, V> {
    const overlay = this.current;
    this.current = new Map();
    if (overlay.size) this.pending.push(overlay);
    return overlay;
  }

  settle(overlay: Overlay<K, V>): void {
    this.abandon(overlay);
    for (const [key, value] of overlay) {
      this.remove(key);
      // Placed last: what was touched longest ago stands first.
      this.committed.set(key, value);
      this.weight += this.weigh(value);
    }
    for (const key of this.committed.keys()) {
      if (this.weight <= this.most) break;
      this.remove(key);
    }
  }

  abandon(overlay: Overlay<K, V>): void {
    const index = this.pending.indexOf(overlay);
    if (index >= 0) this.pending.splice(index, 1);
  }

  private remove(key: K): void {
    const value = this.committed.get(key);
    if (value === undefined) return;
    this.weight -= this.weigh(value);
    this.committed.delete(key);
  }
}
