/** What several pieces of work hand over, for one reader to take in order. */
export class Stream<T> implements AsyncIterable<T> {
  private readonly items: T[] = [];
  private wake: (() => void) | undefined;
  private done = false;
  private failure: unknown;

  push(item: T): void {
    if (this.done) return;
    this.items.push(item);
    this.wake?.();
  }

  end(): void {
    this.done = true;
    this.wake?.();
  }

  fail(error: unknown): void {
    this.failure = error;
    this.end();
  }

  async *[Symbol.asyncIterator](): AsyncGenerator<T> {
    for (;;) {
      while (this.items.length) yield this.items.shift() as T;
      if (this.failure !== undefined) throw this.failure;
      if (this.done) return;
      await new Promise<void>((resolve) => (this.wake = resolve));
      this.wake = undefined;
    }
  }
}
