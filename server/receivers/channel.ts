import type { AgentAsks, AgentToDo } from "#core/estate/agent-actions";
import type { AgentReport } from "#core/estate/agent-report";
import type { TrapUser } from "./traps";
import type { MessagePort } from "node:worker_threads";
import { Admission } from "./admission";
import { BatchBuilder, type PendingBatch } from "./batch-builder";
import type { Enrolled, Enrolling, FromReceivers, ReceiverFigures, ToReceivers } from "./messages";
import type { SendingToken } from "./sender-tokens";
import type { Target, TargetState } from "./scraper";

/** Bytes of requests that may be under way at once, of all senders and of one address; beyond them they are told to wait. */
const MOST_HELD = 160 * 1024 * 1024;
const MOST_HELD_OF_PEER = 96 * 1024 * 1024;
/** What a request counts for before its first byte has come. */
const LEAST_HELD = 65_536;
/** Agents that may wait for their token at once. */
const MOST_ENROLLING = 100;
const MOST_REPORTING = 2_000;
/** Batches the engine may still have to answer. */
const MOST_BATCHES = 200;

/** Room that a request takes. */
export interface Hold {
  /** Takes more of it, for bytes that have arrived or were unpacked; false when there is none. */
  take: (bytes: number) => boolean;
  release: () => void;
}

export interface Outcome {
  /** A sentence when nothing of the batch was kept. */
  problem: string | undefined;
  refused: { handle: number; why: string }[];
  /** Records that cannot be kept; sending them again would not help. */
  rejected: number;
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
    traps: 0,
    trapsOdd: 0,
    dropped: 0,
    kernelDropped: 0,
  };
  /** Set by whoever reads the pages that the engine names. */
  onTargets: (targets: Target[]) => void = () => undefined;
  /** Set by whoever takes notifications of SNMPv3. */
  onTrapUsers: (users: TrapUser[]) => void = () => undefined;
  /** Set by whoever checks tokens. */
  onTokens: (tokens: SendingToken[]) => void = () => undefined;
  private readonly enrolling = new Map<number, (outcome: Enrolled) => void>();
  private readonly reporting = new Map<number, (problem: string | undefined) => void>();
  private readonly acting = new Map<number, (toDo: AgentToDo) => void>();
  private readonly admission = new Admission(MOST_BATCHES, () => performance.now());
  private held = 0;
  private readonly heldOf = new Map<string, number>();
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
      if (message.kind === "trap-users") return this.onTrapUsers(message.users);
      if (message.kind === "tokens") return this.onTokens(message.tokens);
      if (message.kind === "inventoried") {
        this.reporting.get(message.id)?.(message.problem);
        this.reporting.delete(message.id);
        return;
      }
      if (message.kind === "to-do") {
        this.acting.get(message.id)?.(message.toDo);
        this.acting.delete(message.id);
        return;
      }
      if (message.kind === "enrolled") {
        this.enrolling.get(message.id)?.(message.outcome);
        this.enrolling.delete(message.id);
        return;
      }
      const one = this.waiting.get(message.id);
      this.waiting.delete(message.id);
      this.admission.end(message.id);
      if (message.kind === "failed") {
        one?.pending.abandon();
        one?.resolve({ problem: message.problem, refused: [], rejected: 0 });
        return;
      }
      one?.pending.settle();
      for (const { handle, why } of message.refused) this.builder.refuse(handle, why);
      one?.resolve({ problem: undefined, refused: message.refused, rejected: message.rejected });
      this.evict();
    });
  }

  /** Takes room for a request of an address, to be enlarged as bytes arrive and to be given back; undefined without room. */
  enter(peer: string): Hold | undefined {
    if (!this.admission.isOpen) return undefined;
    let own = 0;
    const take = (bytes: number): boolean => {
      const ofPeer = this.heldOf.get(peer) ?? 0;
      if (this.held + bytes > MOST_HELD || ofPeer + bytes > MOST_HELD_OF_PEER) return false;
      this.held += bytes;
      this.heldOf.set(peer, ofPeer + bytes);
      own += bytes;
      return true;
    };
    if (!take(LEAST_HELD)) return undefined;
    return {
      take,
      release: () => {
        this.held -= own;
        const left = (this.heldOf.get(peer) ?? 0) - own;
        if (left > 0) this.heldOf.set(peer, left);
        else this.heldOf.delete(peer);
        own = 0;
      },
    };
  }

  /** Whether the engine can take more at present. */
  get free(): boolean {
    return this.admission.isOpen;
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
      return Promise.resolve({ problem: undefined, refused: [], rejected: 0 });
    }
    const id = this.nextId++;
    return new Promise((resolve) => {
      this.waiting.set(id, { resolve, pending });
      this.admission.begin(id);
      this.port.postMessage({ kind: "batch", id, batch } satisfies FromReceivers, [
        batch.handles.buffer,
        batch.times.buffer,
        batch.values.buffer,
      ] as ArrayBuffer[]);
    });
  }

  /** Asks for a token for an agent. */
  enrol(asked: Enrolling, from: string): Promise<Enrolled> {
    if (this.enrolling.size >= MOST_ENROLLING)
      return Promise.resolve({ problem: "Too many agents enrol at this moment. Try again a little later." });
    const id = this.nextId++;
    return new Promise((resolve) => {
      this.enrolling.set(id, resolve);
      this.port.postMessage({ kind: "enrol", id, asked, from } satisfies FromReceivers);
    });
  }

  /** Hands over what an agent says runs on its host; answers with a sentence where it was not taken. */
  report(report: AgentReport, from: string): Promise<string | undefined> {
    if (this.reporting.size >= MOST_REPORTING)
      return Promise.resolve("Too many agents report at this moment. Try again a little later.");
    const id = this.nextId++;
    return new Promise((resolve) => {
      this.reporting.set(id, resolve);
      this.port.postMessage({ kind: "inventory", id, report, from } satisfies FromReceivers);
    });
  }

  /** Hands over what an agent did, and answers what it is to do. */
  actions(asks: AgentAsks): Promise<AgentToDo> {
    // What it did is told again the next time.
    if (this.acting.size >= MOST_REPORTING) return Promise.reject(new Error("Too many agents ask at this moment."));
    const id = this.nextId++;
    return new Promise((resolve) => {
      this.acting.set(id, resolve);
      this.port.postMessage({ kind: "actions", id, asks } satisfies FromReceivers);
    });
  }

  /** Lets the engine know which tokens were sent with. */
  tellUsed(tokens: [id: number, atMs: number, from: string][]): void {
    if (tokens.length) this.port.postMessage({ kind: "used", tokens } satisfies FromReceivers);
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
