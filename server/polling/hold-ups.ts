/** Less than this is how any process breathes. */
const LEAST_MS = 50;
/** Longer than any poll is waited for. */
const KEPT_MS = 30_000;
const EVERY_MS = 100;

/**
 * When this process was held up itself: by its own work, or by a machine that gave it no time. What was not answered
 * meanwhile says nothing of whoever was asked: a timer that is late fires before the answer that lay ready is read.
 */
export class HoldUps {
  private list: { fromMs: number; toMs: number }[] = [];
  private timer: NodeJS.Timeout | undefined;
  /** When what is under way began, by what asks for it. */
  private readonly open = new Set<{ fromMs: number }>();

  constructor(private readonly machine: () => number = () => performance.now()) {}

  /** Watches this process's own timer. */
  start(): void {
    let due = this.machine() + EVERY_MS;
    this.timer = setInterval(() => {
      const at = this.machine();
      this.note(due, at);
      due = at + EVERY_MS;
    }, EVERY_MS);
    this.timer.unref();
  }

  stop(): void {
    clearInterval(this.timer);
  }

  note(fromMs: number, toMs: number): void {
    if (toMs - fromMs < LEAST_MS) return;
    this.list.push({ fromMs, toMs });
    if ((this.list[0] as { toMs: number }).toMs < toMs - KEPT_MS)
      this.list = this.list.filter((one) => one.toMs >= toMs - KEPT_MS);
  }

  /** Notes how long something took that is always answered at once. */
  async around(ask: () => Promise<unknown>): Promise<void> {
    const one = { fromMs: this.machine() };
    this.open.add(one);
    await ask().catch(() => undefined);
    this.open.delete(one);
    this.note(one.fromMs, this.machine());
  }

  /** The longest hold-up that ended after an instant of `performance.now()`, or still goes on, ms. */
  longestSince(fromMs: number): number {
    const at = this.machine();
    let longest = 0;
    for (const one of this.list) if (one.toMs >= fromMs) longest = Math.max(longest, one.toMs - one.fromMs);
    for (const one of this.open) longest = Math.max(longest, at - one.fromMs);
    return longest < LEAST_MS ? 0 : longest;
  }
}
