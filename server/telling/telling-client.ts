import { Worker } from "node:worker_threads";
import type { Job, JobEnd } from "./hand-over";

/** A thread that has had nothing to do for so long is let go: it holds a store, a drawing library and its own heap. */
const IDLE_MS = 60_000;

/**
 * The thread that composes and hands over, seen from the engine. It begins with a message, is let go when it has nothing
 * to do, and begins anew after a fault.
 */
export class TellingClient {
  private worker: Worker | undefined;
  private readonly waiting = new Map<number, (end: JobEnd) => void>();
  private nextId = 1;
  private idle: ReturnType<typeof setTimeout> | undefined;

  constructor(
    private readonly thread: URL,
    private readonly data: { file: string; root: string },
    private readonly onFault: (fault: string) => void,
  ) {}

  handOver = (job: Job): Promise<JobEnd> =>
    new Promise((resolve) => {
      const id = this.nextId++;
      clearTimeout(this.idle);
      this.waiting.set(id, resolve);
      this.running().postMessage({ id, job });
    });

  private running(): Worker {
    if (this.worker) return this.worker;
    const worker = new Worker(this.thread, { workerData: this.data });
    worker.on("message", ({ id, end }: { id: number; end: JobEnd }) => {
      this.waiting.get(id)?.(end);
      this.waiting.delete(id);
      if (this.waiting.size === 0) this.restSoon();
    });
    const lost = (why: string) => {
      if (this.worker !== worker) return;
      this.worker = undefined;
      for (const done of this.waiting.values())
        done({ outcome: "retry", answer: why, subject: "", sentence: "", tookMs: 0 });
      this.waiting.clear();
    };
    worker.on("error", (error) => {
      this.onFault(error instanceof Error ? (error.stack ?? error.message) : String(error));
      lost("composing failed");
    });
    worker.on("exit", () => lost("composing was cut off"));
    worker.unref();
    return (this.worker = worker);
  }

  private restSoon(): void {
    clearTimeout(this.idle);
    this.idle = setTimeout(() => {
      if (this.waiting.size === 0) void this.close();
    }, IDLE_MS);
    this.idle.unref();
  }

  async close(): Promise<void> {
    clearTimeout(this.idle);
    const { worker } = this;
    this.worker = undefined;
    await worker?.terminate();
  }
}
