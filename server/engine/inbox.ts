import type { MessagePort } from "node:worker_threads";
import type { Delivery } from "../receivers/arrivals";
import type { FromReceivers, ReceiverFigures, ToReceivers } from "../receivers/messages";
import type { TargetState } from "../receivers/scraper";
import { insertChange } from "../store/changes";
import { PersonError, storeTrouble, type Db } from "../store/database";
import { componentById } from "../store/estate";
import { removeNamingRule, saveNamingRule } from "../store/origins";
import { removeScrapeTarget, saveScrapeTarget, scrapeTargets } from "../store/ways-in";
import type { Deliveries } from "./deliveries";
import type { Recorder } from "./recorder";

/** Machine time within which deliveries are committed together. */
const COMMIT_PAUSE_MS = 15;

type Receipt = ReturnType<Deliveries["take"]>;

export interface InboxContext {
  db: Db;
  recorder: Recorder;
  deliveries: Deliveries;
  now: () => number;
  tellTrouble: (message: string) => void;
  /** A delivery brought relations that were not known. */
  onRelations: () => void;
  /** Called when something was told of that was not in the estate. */
  onGrown: () => void;
}

/** What is sent to us: deliveries of the receivers and of files made durable and answered, the pages to read, the rules that name senders. */
export class Inbox {
  private arrived: { id: number; delivery: Delivery }[] = [];
  private committing = false;
  private receivers: MessagePort | undefined;
  received: ReceiverFigures | undefined;
  scraped: TargetState[] = [];
  /** Handles of imports are below those of the feed of the past, and so below all that receivers give. */
  private importHandle = -1_000_000_000;

  constructor(private readonly context: InboxContext) {}

  /** Takes deliveries from the receivers; what comes within a moment is committed together, and then answered. */
  attach(port: MessagePort): void {
    this.receivers = port;
    this.tellTargets();
    port.on("message", (message: FromReceivers) => {
      if (message.kind === "figures") {
        this.received = message.figures;
        this.scraped = message.scraped;
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
    const origin = this.importHandle--;
    const defs = series.map((one) => ({
      handle: this.importHandle--,
      origin,
      metric: one.metric,
      instance: one.instance,
      unit: one.unit,
      form: "gauge" as const,
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
    const delivery: Delivery = {
      origins: [{ handle: origin, attributes }],
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
      const [receipt] = this.commit([delivery]);
      return { samples: count, refused: [...new Set(receipt?.refused.map((one) => one.why))] };
    } finally {
      this.context.deliveries.release(delivery);
    }
  }

  private tellTargets(): void {
    this.receivers?.postMessage({ kind: "targets", targets: scrapeTargets(this.context.db) } satisfies ToReceivers);
  }

  saveScrapeTarget(url: string, everySeconds: number, by: string): void {
    this.context.db.transaction(() => {
      saveScrapeTarget(this.context.db, url, everySeconds, by, this.context.now());
      insertChange(this.context.db, {
        atMs: this.context.now(),
        kind: "setting",
        componentId: null,
        summary: `${url} is read every ${everySeconds} s`,
        by,
      });
    })();
    this.tellTargets();
  }

  removeScrapeTarget(id: number, by: string): void {
    const url = scrapeTargets(this.context.db).find((one) => one.id === id)?.url;
    if (!url) throw new PersonError("That page is not read any more.");
    this.context.db.transaction(() => {
      removeScrapeTarget(this.context.db, id);
      insertChange(this.context.db, {
        atMs: this.context.now(),
        kind: "setting",
        componentId: null,
        summary: `${url} is no longer read`,
        by,
      });
    })();
    this.tellTargets();
  }

  private takeArrived(): void {
    this.committing = false;
    const arrived = this.arrived;
    this.arrived = [];
    const reply = (message: ToReceivers) => this.receivers?.postMessage(message);
    try {
      const receipts = this.commit(arrived.map(({ delivery }) => delivery));
      arrived.forEach(({ id }, index) => reply({ kind: "kept", id, refused: receipts[index]?.refused ?? [] }));
    } catch (error) {
      const problem = storeTrouble(error);
      for (const { id } of arrived)
        reply({ kind: "failed", id, problem: problem ?? "Something went wrong on this side; send it again." });
      if (!problem) throw error;
      this.context.tellTrouble(problem);
    }
  }

  /** Makes deliveries durable together, or none of them: a throw leaves memory as it was. */
  private commit(list: readonly Delivery[]): Receipt[] {
    try {
      const receipts = this.context.db.transaction(() => {
        const taken = list.map((delivery) => this.context.deliveries.take(delivery, this.context.now()));
        this.context.recorder.write("commit");
        return taken;
      })();
      this.context.recorder.settle();
      this.context.deliveries.settle();
      if (this.context.deliveries.grown) {
        this.context.deliveries.grown = false;
        this.context.onGrown();
      }
      if (this.context.deliveries.related) {
        this.context.deliveries.related = false;
        this.context.onRelations();
      }
      return receipts;
    } catch (error) {
      this.context.deliveries.rollback(list);
      throw error;
    }
  }

  saveNamingRule(rule: { attribute: string; pattern: string; componentId: number }, by: string): void {
    const component = componentById(this.context.db, rule.componentId);
    if (!component) throw new PersonError("Choose the component these signals belong to.");
    this.context.db.transaction(() => {
      saveNamingRule(this.context.db, rule, by, this.context.now());
      insertChange(this.context.db, {
        atMs: this.context.now(),
        kind: "setting",
        componentId: component.id,
        summary: `Signals whose ${rule.attribute} fits “${rule.pattern}” belong to ${component.name}`,
        by,
      });
      this.context.deliveries.reload();
    })();
  }

  removeNamingRule(id: number, by: string): void {
    this.context.db.transaction(() => {
      removeNamingRule(this.context.db, id);
      insertChange(this.context.db, {
        atMs: this.context.now(),
        kind: "setting",
        componentId: null,
        summary: "A rule that names signals was removed",
        by,
      });
      this.context.deliveries.reload();
    })();
  }

  /** Keeps what is still waiting and lets go of the receivers. */
  close(): void {
    if (this.arrived.length) this.takeArrived();
    this.receivers?.close();
  }
}
