import type { AgentAsks, AgentToDo } from "#core/estate/agent-actions";
import type { AgentReport } from "#core/estate/agent-report";
import type { TrapUser } from "../receivers/traps";
import type { MessagePort } from "node:worker_threads";
import type { Batch } from "../receivers/batch";
import type { Enrolled, Enrolling, FromReceivers, ReceiverFigures, ToReceivers } from "../receivers/messages";
import type { SendingToken } from "../receivers/sender-tokens";
import type { Target, TargetState } from "../receivers/scraper";
import type { Access } from "../vault/kinds";
import { insertChange } from "../store/changes";
import { PersonError, storeProblem, type Db } from "../store/database";
import { componentById } from "../store/estate";
import { removeMatchingRule, saveMatchingRule } from "../store/resources";
import { removeEndpoint, saveEndpoint, endpoints, type EndpointFields } from "../store/endpoints";
import type { LogFigureFields } from "#core/telemetry/log-fields";
import type { JobWords } from "#core/jobs/words";
import { jobWords, removeJobWords, saveJobWords } from "../store/jobs";
import { logFigures, removeLogFigure, saveLogFigure } from "../store/log-figures";
import type { BatchIngest, Committed, Receipt } from "./batches";
import { keepWhatFits } from "./isolate";
import type { SampleWriter } from "./sample-writer";

/** Machine time within which batches are committed together. */
const COMMIT_PAUSE_MS = 15;

export interface IngestContext {
  db: Db;
  sampleWriter: SampleWriter;
  batches: BatchIngest;
  now: () => number;
  reportProblem: (message: string) => void;
  /** What an endpoint is read with; throws a PersonError where that is not for its address. */
  accessAt: (endpoint: EndpointFields) => Access | undefined;
  /** Whose notifications of SNMPv3 are taken. */
  trapUsers: () => TrapUser[];
  /** Tokens that may be sent with now. */
  tokens: () => SendingToken[];
  enrol: (asked: Enrolling, from: string) => Enrolled;
  /** Takes in what an agent says runs on its host; answers with a sentence where it was not taken. */
  inventory: (report: AgentReport, from: string) => Promise<string | undefined>;
  /** What an agent did, and what it is to do. */
  actions: (asks: AgentAsks) => AgentToDo;
  onUsed: (tokens: [id: number, atMs: number, from: string][]) => void;
  /** A batch brought relations that were not known. */
  onRelations: () => void;
  /** Called when something was told of that was not in the estate. */
  onGrown: () => void;
}

/**
 * What is sent to us: batches of the receivers and of files made durable and answered, the pages to read, the rules
 * that name senders.
 */
export class Ingest {
  private arrived: { id: number; batch: Batch }[] = [];
  private committing = false;
  private receivers: MessagePort | undefined;
  received: ReceiverFigures | undefined;
  scraped: TargetState[] = [];
  /** Handles of imports are below those of the feed of the past, and so below all that receivers give. */
  private importHandle = -1_000_000_000;

  constructor(private readonly context: IngestContext) {}

  /** Takes batches from the receivers; what comes within a moment is committed together, and then answered. */
  attach(port: MessagePort): void {
    this.receivers = port;
    this.tellTargets();
    this.tellTrapUsers();
    this.tellTokens();
    port.on("message", (message: FromReceivers) => {
      if (message.kind === "enrol") {
        return this.enrol(message.id, message.asked, message.from);
      }
      if (message.kind === "inventory") {
        const { id } = message;
        const answer = (problem: string | undefined) => this.reply({ kind: "inventoried", id, problem });
        this.context
          .inventory(message.report, message.from)
          .then(answer, () => answer("Something went wrong on this side; try again."));
        return;
      }
      if (message.kind === "actions")
        return this.reply({ kind: "to-do", id: message.id, toDo: this.context.actions(message.asks) });
      if (message.kind === "used") return this.context.onUsed(message.tokens);
      if (message.kind === "figures") {
        this.received = message.figures;
        this.scraped = message.scraped;
        return;
      }
      if (message.kind === "release") {
        // After what speaks of them, which may still wait.
        if (this.arrived.length) this.takeArrived();
        this.context.batches.release(message.resources, message.series);
        return;
      }
      this.arrived.push(message);
      if (this.committing) return;
      this.committing = true;
      setTimeout(() => this.takeArrived(), COMMIT_PAUSE_MS);
    });
  }

  /** Takes samples of a file in, named to a component where one was chosen; they are safe when this returns. */
  importSamples(
    file: string,
    componentId: number | null,
    series: readonly { metric: string; instance: string; unit: string; times: number[]; values: number[] }[],
  ): { samples: number; refused: string[] } {
    const component = componentId === null ? undefined : componentById(this.context.db, componentId);
    if (componentId !== null && !component) throw new PersonError("That component does not exist. Choose another.");
    const attributes: Record<string, string> = {
      "imported from": file,
      ...(component ? { "service.instance.id": component.name } : {}),
    };
    const resource = this.importHandle--;
    const defs = series.map((one) => ({
      handle: this.importHandle--,
      resource,
      metric: one.metric,
      instance: one.instance,
      unit: one.unit,
      instrument: "gauge" as const,
    }));
    const count = series.reduce((sum, one) => sum + one.times.length, 0);
    const handles: number[] = [];
    const times: number[] = [];
    const values: number[] = [];
    series.forEach((one, index) =>
      one.times.forEach((at, place) => {
        handles.push(defs[index]?.handle as number);
        times.push(at);
        values.push(one.values[place] as number);
      }),
    );
    const batch: Batch = {
      resources: [{ handle: resource, attributes }],
      series: defs,
      handles: Int32Array.from(handles),
      times: Float64Array.from(times),
      values: Float64Array.from(values),
      logs: [],
      spans: [],
      events: [],
      exemplars: [],
    };
    try {
      const [receipt] = this.commit([batch]);
      return { samples: count, refused: [...new Set(receipt?.refused.map((one) => one.why))] };
    } finally {
      this.context.batches.release(
        [resource],
        defs.map((one) => one.handle),
      );
    }
  }

  private enrol(id: number, asked: Enrolling, from: string): void {
    let outcome: Enrolled = { problem: "Something went wrong on this side; try again." };
    try {
      outcome = this.context.enrol(asked, from);
      // The receivers know the token before its agent does.
      this.tellTokens();
    } finally {
      this.reply({ kind: "enrolled", id, outcome });
    }
  }

  /** Tells the receivers who may send. */
  tellTokens(): void {
    this.reply({ kind: "tokens", tokens: this.context.tokens() });
  }

  /** Tells the receivers what to scrape, and with what. */
  tellTargets(): void {
    const targets = endpoints(this.context.db).map((one): Target => {
      const { id, url, everySeconds, authority } = one;
      const target = { id, url, everySeconds, authority };
      try {
        return { ...target, access: this.context.accessAt(one) };
      } catch (error) {
        // It is not read without what it was to be read with.
        return { ...target, problem: error instanceof Error ? error.message : String(error) };
      }
    });
    this.reply({ kind: "targets", targets });
  }

  tellTrapUsers(): void {
    this.reply({ kind: "trap-users", users: this.context.trapUsers() });
  }

  saveLogFigure(given: LogFigureFields, by: string): number {
    const { db, now, batches } = this.context;
    const id = db.transaction(() => {
      insertChange(db, {
        atMs: now(),
        kind: "setting",
        componentId: null,
        summary: `The figure “${given.name}” is made of logs: ${given.field}`,
        by,
      });
      return saveLogFigure(db, given, by, now());
    })();
    batches.figures.reload();
    db.transaction(() => batches.figures.countBack(id, (resourceId) => batches.componentOf(resourceId), now()))();
    return id;
  }

  removeLogFigure(id: number, by: string): string {
    const { db, now, batches } = this.context;
    const name = logFigures(db).find((one) => one.id === id)?.name;
    if (!name) throw new PersonError("That figure is not made any more.");
    db.transaction(() => {
      removeLogFigure(db, id);
      insertChange(db, {
        atMs: now(),
        kind: "setting",
        componentId: null,
        summary: `The figure “${name}” is no longer made of logs`,
        by,
      });
    })();
    batches.figures.reload();
    return name;
  }

  /** Has the runs of jobs told by lines of logs, those that are kept too. @returns how many records of the past told of any */
  saveJobWords(given: JobWords, by: string): number {
    const { db, now, batches } = this.context;
    const told = db.transaction(() => {
      saveJobWords(db, given, by, now());
      insertChange(db, {
        atMs: now(),
        kind: "setting",
        componentId: null,
        summary: `Runs of jobs are read from “${given.begins}” to “${given.ends}”`,
        by,
      });
      return batches.jobs.countBack(given, (id) => batches.componentOf(id), now());
    })();
    batches.jobs.reload();
    return told;
  }

  removeJobWords(id: number, by: string): string {
    const { db, now, batches } = this.context;
    const begins = jobWords(db).find((one) => one.id === id)?.begins;
    if (begins === undefined) throw new PersonError("These lines are not looked for any more.");
    db.transaction(() => {
      removeJobWords(db, id);
      insertChange(db, {
        atMs: now(),
        kind: "setting",
        componentId: null,
        summary: `Runs of jobs are no longer read from “${begins}”`,
        by,
      });
    })();
    batches.jobs.reload();
    return begins;
  }

  saveEndpoint(given: EndpointFields, by: string): void {
    const { url, everySeconds } = given;
    this.context.accessAt(given);
    this.context.db.transaction(() => {
      saveEndpoint(this.context.db, given, by, this.context.now());
      insertChange(this.context.db, {
        atMs: this.context.now(),
        kind: "setting",
        componentId: null,
        summary: `${url} is scraped every ${everySeconds} s`,
        by,
      });
    })();
    this.tellTargets();
  }

  removeEndpoint(id: number, by: string): string {
    const url = endpoints(this.context.db).find((one) => one.id === id)?.url;
    if (!url) throw new PersonError("That endpoint is not scraped any more.");
    this.context.db.transaction(() => {
      removeEndpoint(this.context.db, id);
      insertChange(this.context.db, {
        atMs: this.context.now(),
        kind: "setting",
        componentId: null,
        summary: `${url} is no longer scraped`,
        by,
      });
    })();
    this.tellTargets();
    return url;
  }

  private takeArrived(): void {
    this.committing = false;
    const arrived = this.arrived;
    this.arrived = [];
    try {
      const receipts = this.commit(arrived.map(({ batch }) => batch));
      arrived.forEach(({ id }, index) =>
        this.reply({ kind: "kept", id, refused: receipts[index]?.refused ?? [], rejected: 0 }),
      );
    } catch (error) {
      if (this.storeFails(error, arrived)) return;
      // One of them holds something that cannot be kept: each by itself, so that only that is refused.
      let fault: unknown;
      for (const [index, one] of arrived.entries()) {
        const failed = this.takeAlone(one);
        fault ??= failed;
        if (failed !== undefined && this.storeFails(failed, arrived.slice(index + 1))) return;
      }
      if (fault !== undefined) throw fault;
    }
  }

  /** Keeps what can be kept of one batch and answers it; what failed in it, if anything did. */
  private takeAlone({ id, batch }: { id: number; batch: Batch }): unknown {
    const refused: Receipt["refused"] = [];
    try {
      const { refused: rejected, error } = keepWhatFits(
        batch,
        (part) => refused.push(...(this.commit([part])[0]?.refused ?? [])),
        (fault) => storeProblem(fault) !== undefined,
      );
      this.reply({ kind: "kept", id, refused, rejected });
      return error;
    } catch (error) {
      // The store takes nothing more; sent again, what was kept of the batch already may stand there twice.
      const problem = storeProblem(error) ?? "Something went wrong on this side; send it again.";
      this.reply({ kind: "failed", id, problem });
      return error;
    }
  }

  /** Tells senders when it is the store that takes nothing; false for other faults. */
  private storeFails(error: unknown, arrived: readonly { id: number }[]): boolean {
    const problem = storeProblem(error);
    if (!problem) return false;
    for (const { id } of arrived) this.reply({ kind: "failed", id, problem });
    this.context.reportProblem(problem);
    return true;
  }

  private reply(message: ToReceivers): void {
    this.receivers?.postMessage(message);
  }

  private commit(list: readonly Batch[]): Committed["receipts"] {
    const { receipts, grown, related } = this.context.batches.commit(list, this.context.now());
    if (grown) this.context.onGrown();
    if (related) this.context.onRelations();
    return receipts;
  }

  saveMatchingRule(rule: { attribute: string; pattern: string; componentId: number }, by: string): void {
    const component = componentById(this.context.db, rule.componentId);
    if (!component) throw new PersonError("Choose the component these signals belong to.");
    this.context.db.transaction(() => {
      saveMatchingRule(this.context.db, rule, by, this.context.now());
      insertChange(this.context.db, {
        atMs: this.context.now(),
        kind: "setting",
        componentId: component.id,
        summary: `Signals whose ${rule.attribute} fits “${rule.pattern}” belong to ${component.name}`,
        by,
      });
      this.context.batches.reload();
    })();
  }

  removeMatchingRule(id: number, by: string): void {
    this.context.db.transaction(() => {
      removeMatchingRule(this.context.db, id);
      insertChange(this.context.db, {
        atMs: this.context.now(),
        kind: "setting",
        componentId: null,
        summary: "A rule that names signals was removed",
        by,
      });
      this.context.batches.reload();
    })();
  }

  /** Keeps what is still waiting and lets go of the receivers. */
  close(): void {
    if (this.arrived.length) this.takeArrived();
    this.receivers?.close();
  }
}
