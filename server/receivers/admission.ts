/** Answers slower than this mean that too much is under way; quicker than that there is room for more. */
const SLOW_MS = 1_500;
const QUICK_MS = 500;
const LEAST = 4;
/** What is let in before anything is known of how quick the engine is. */
const FIRST = 10;

/**
 * How many batches may wait for the engine: more while it answers quickly, a third fewer when it does not (additive
 * increase, multiplicative decrease; Chiu & Jain 1989). So nobody waits long for an answer: what would is told to come again
 * at once.
 */
export class Admission {
  private limit: number;
  private lastCutMs = -Infinity;
  private readonly began = new Map<number, number>();

  constructor(
    private readonly most: number,
    private readonly now: () => number,
  ) {
    this.limit = Math.min(FIRST, most);
  }

  /** Whether one more may come in. */
  get isOpen(): boolean {
    return this.began.size < this.limit && this.longestWaitMs < SLOW_MS;
  }

  get longestWaitMs(): number {
    const first = this.began.values().next();
    return first.done ? 0 : this.now() - first.value;
  }

  begin(id: number): void {
    this.began.set(id, this.now());
  }

  end(id: number): void {
    const beganMs = this.began.get(id);
    if (beganMs === undefined) return;
    this.began.delete(id);
    const nowMs = this.now();
    const tookMs = nowMs - beganMs;
    if (tookMs < QUICK_MS) this.limit = Math.min(this.most, this.limit + 1);
    // Those that were under way together are slow together: they count once.
    else if (tookMs > SLOW_MS && nowMs - this.lastCutMs > SLOW_MS) {
      this.limit = Math.max(LEAST, Math.floor((this.limit * 2) / 3));
      this.lastCutMs = nowMs;
    }
  }
}
