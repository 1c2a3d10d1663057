import type { MessagePort } from "node:worker_threads";
import { BatchBuilder, type PendingBatch } from "./batch-builder";
import type { FromReceivers, ReceiverFigures, ToReceivers } from "./messages";
import type { Target, TargetState } from "./scraper";

/** Bytes of requests that may be under way at once; beyond them senders are told to wait. */
const MOST_HELD = 96 * 1024 * 1024;
/** Batches the engine may still have to answer. */
const MOST_BATCHES = 200;

export interface Outcome {
  /** A sentence when nothing of the batch was kept. */
  problem: string | undefined;
  refused: { handle: number; why: string }[];
}

/** The way from the receivers to the engine: bounded, and everybody hears what became of what they sent. */
export class IngestChannel {
  readonly builder: BatchBuilder;
  readonly figures: ReceiverFigures = {
    requests: 0,
    throttled: 0,
    unreadable: 0,
    refused: 0,
    syslog: 0,
    syslogOdd: 0,
    dropped: 0,
  };
  /** Set by whoever reads the pages that the engine names. */
  onTargets: (targets: Target[]) => void = () => undefined;
  private held = 0;
  private nextId = 1;
  private readonly waiting = new Map<number, { resolve: (outcome: Outcome) => void; pending: PendingBatch }>();

  constructor(
    private readonly port: MessagePort,
    now: () => number,
    readonly onFault: (error: unknown) => void,
  ) {
    this.builder = new BatchBuilder(now);
    port.on("message", (message: ToReceivers) => {
      if (message.kind === "targets") return this.onTargets(message.targets);
      const one = this.waiting.get(message.id);
      this.waiting.delete(message.id);
      if (message.kind === "failed") {
        one?.pending.abandon();
        one?.resolve({ problem: message.problem, refused: [] });
        return;
      }
      one?.pending.settle();
      for (const { handle, why } of message.refused) this.builder.refuse(handle, why);
      one?.resolve({ problem: undefined, refused: message.refused });
      this.evict();
    });
  }

  /** Takes room for a request; what it returns gives the room back. Undefined when there is none. */
  enter(bytes: number): (() => void) | undefined {
    if (this.held + bytes > MOST_HELD || this.waiting.size >= MOST_BATCHES) return undefined;
    this.held += bytes;
    return () => {
      this.held -= bytes;
    };
  }

  /** Whether the engine can take more at present. */
  get free(): boolean {
    return this.waiting.size < MOST_BATCHES;
  }

  /** Hands over what has been sorted, and waits until it is safe. */
  deliver(): Promise<Outcome> {
    const { batch, pending } = this.builder.take();
    if (
      !batch.handles.length &&
      !batch.logs.length &&
      !batch.spans.length &&
      !batch.events.length &&
      !batch.resources.length
    ) {
      pending.settle();
      return Promise.resolve({ problem: undefined, refused: [] });
    }
    const id = this.nextId++;
    return new Promise((resolve) => {
      this.waiting.set(id, { resolve, pending });
      this.port.postMessage({ kind: "batch", id, batch } satisfies FromReceivers, [
        batch.handles.buffer,
        batch.times.buffer,
        batch.values.buffer,
      ] as ArrayBuffer[]);
    });
  }

  /** Lets the engine know which senders are not held any more. */
  private evict(): void {
    const { resources, series } = this.builder.evict();
    if (resources.length) this.port.postMessage({ kind: "release", resources, series } satisfies FromReceivers);
  }

  tellFigures(scraped: readonly TargetState[]): void {
    this.port.postMessage({ kind: "figures", figures: this.figures, scraped: [...scraped] } satisfies FromReceivers);
  }
}
