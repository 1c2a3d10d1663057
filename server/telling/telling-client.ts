import { Worker } from "node:worker_threads";
import type { Job, JobEnd } from "./hand-over";

/** The thread that composes and hands over, seen from the engine. It begins with the first message, and anew after a fault. */
export class TellingClient {
  private worker: Worker | undefined;
  private readonly waiting = new Map<number, (end: JobEnd) => void>();
  private nextId = 1;

  constructor(
    private readonly thread: URL,
    private readonly data: { file: string; root: string },
    private readonly onFault: (fault: string) => void,
  ) {}

  handOver = (job: Job): Promise<JobEnd> =>
    new Promise((resolve) => {
      const id = this.nextId++;
      this.waiting.set(id, resolve);
      this.running().postMessage({ id, job });
    });

  private running(): Worker {
    if (this.worker) return this.worker;
    const worker = new Worker(this.thread, { workerData: this.data });
    worker.on("message", ({ id, end }: { id: number; end: JobEnd }) => {
      this.waiting.get(id)?.(end);
      this.waiting.delete(id);
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

  async close(): Promise<void> {
    const { worker } = this;
    this.worker = undefined;
    await worker?.terminate();
  }
}
