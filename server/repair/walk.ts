import { holds } from "#core/repair/expression";
import type { LaidStep } from "#core/repair/lay-out";
import type { StepState } from "#core/repair/runbook";
import { kindOfStep, type EachStep, type Step } from "#core/repair/steps/registry";
import { eachLimited } from "../outside/limit";
import { componentById, type ComponentRow } from "../store/estate";
import { addRunStep, askUntil, keepTaken, laidSteps, takenOf, updateStep, type StepChange } from "../store/runs";
import { scopeOf } from "./figures";
import { closeLines, type OpenLines } from "./over-ssh";
import { StepOutput } from "./output";
import { takerOf } from "./steps/registry";
import type { StepContext } from "./steps/taker";
import type { RunnerWorld } from "./world";

/** Why the program's own end stops a run; it is taken up again at the next start. */
export const OWN_END = Symbol("the end of the program");

/** How a list of steps ended: gone through, or why it went no further. */
export type End =
  | { how: "passed" }
  | { how: "failed"; message: string; rollBack: boolean }
  | { how: "stopped"; message: string }
  | { how: "unknown"; message: string; position: number };

type Node = LaidStep & { state: StepState; endedAt: number | null };

/** Of more targets no connection is kept from step to step. */
const MOST_LINES = 20;
const PASSED: End = { how: "passed" };
const OVER: ReadonlySet<StepState> = new Set(["passed", "borne", "skipped"]);

/** What a run is walked with. */
export interface WalkParts {
  world: RunnerWorld;
  runId: number;
  runbook: string;
  args: Readonly<Record<string, string>>;
  startedAtMs: number;
  signal: AbortSignal;
  tell: () => void;
  ask: (
    position: number,
    untilMs: number,
    signal: AbortSignal,
  ) => Promise<{ by: string; approved: boolean } | undefined>;
}

/** Goes through the steps of one run as they were laid out, from where it is. */
export class Walk {
  private readonly nodes: Node[];
  private readonly numbers = new Map<number, string>();
  private readonly lines: OpenLines = new Map();
  private readonly keepsLines: boolean;

  constructor(private readonly parts: WalkParts) {
    this.nodes = laidSteps(parts.world.db, parts.runId);
    this.keepsLines = new Set(this.nodes.map((node) => node.targetId)).size <= MOST_LINES;
    const counts = new Map<string, number>();
    for (const node of this.nodes) {
      const key = `${node.parent}:${node.branch}:${node.targetId}`;
      const count = (counts.get(key) ?? 0) + 1;
      counts.set(key, count);
      const above = node.parent === null ? undefined : this.numbers.get(node.parent);
      this.numbers.set(node.position, above === undefined ? `${count}` : `${above}.${count}`);
    }
  }

  /** From the outermost steps on. */
  async all(): Promise<End> {
    try {
      return await this.list(this.nodes.filter((node) => node.parent === null && node.branch === ""));
    } finally {
      closeLines(this.lines);
    }
  }

  /** Steps that were not come to are left out, and say so. */
  skipRest(): void {
    for (const node of this.nodes) if (node.state === "waiting") this.mark(node, { state: "skipped" });
  }

  /**
   * The undo steps of what was done, newest first. Stops at the first that fails.
   * @returns what could not be taken back, as a sentence
   */
  async undo(): Promise<string | undefined> {
    try {
      return await this.takeBack();
    } finally {
      closeLines(this.lines);
    }
  }

  private async takeBack(): Promise<string | undefined> {
    const { db } = this.parts.world;
    const done = this.nodes
      .filter((node) => node.branch !== "undo" && node.state === "passed" && undoOf(node.step) !== undefined)
      .sort((a, b) => (b.endedAt ?? 0) - (a.endedAt ?? 0) || b.position - a.position);
    for (const node of done) {
      const step = undoOf(node.step) as Step;
      const position = (this.nodes.at(-1)?.position ?? -1) + 1;
      const added: Node = { ...node, position, parent: null, branch: "undo", step, state: "waiting", endedAt: null };
      addRunStep(db, this.parts.runId, added);
      this.nodes.push(added);
      this.numbers.set(position, `${this.numbers.get(node.position)} back`);
      const end = await this.one(added);
      if (end.how !== "passed") return `“${node.step.title}” could not be taken back: ${end.message}`;
    }
    return undefined;
  }

  private async list(nodes: readonly Node[]): Promise<End> {
    for (const node of nodes) {
      const end = await this.one(node);
      if (end.how !== "passed") return end;
    }
    return PASSED;
  }

  private under(parent: Node, branch: LaidStep["branch"], targetId?: number): Node[] {
    return this.nodes.filter(
      (node) =>
        node.parent === parent.position &&
        node.branch === branch &&
        (targetId === undefined || node.targetId === targetId),
    );
  }

  private mark(node: Node, change: StepChange): void {
    node.state = change.state;
    if (change.endedAt !== undefined) node.endedAt = change.endedAt;
    updateStep(this.parts.world.db, this.parts.runId, node.position, change);
  }

  private async one(node: Node): Promise<End> {
    const { signal, world, tell } = this.parts;
    if (OVER.has(node.state)) return PASSED;
    if (signal.aborted) return { how: "stopped", message: `Stopped by ${String(signal.reason)}.` };
    const number = this.numbers.get(node.position) ?? "?";
    if (node.state === "running" && kindOfStep(node.step.type).acts) {
      this.mark(node, {
        state: "unknown",
        endedAt: world.now(),
        message: "Holotaxis was stopped while this was being carried out. Nobody knows whether it came to its end.",
      });
      return {
        how: "unknown",
        position: node.position,
        message: `It is not known whether step ${number}, “${node.step.title}”, was carried out. Look at it before starting again.`,
      };
    }
    this.mark(node, { state: "running", ...(node.state === "waiting" ? { startedAt: world.now() } : {}) });
    tell();
    const end = await this.walk(node, number);
    tell();
    return end;
  }

  /** Takes a step with all that it holds, and marks how it ended. */
  private async walk(node: Node, number: string): Promise<End> {
    const { signal, world } = this.parts;
    const endedAt = () => world.now();
    const taker = takerOf(node.step.type);
    if (!taker) {
      const end = await this.holder(node);
      if (signal.reason === OWN_END) return end;
      if (end.how === "passed") this.mark(node, { state: "passed", endedAt: endedAt() });
      else this.mark(node, { state: end.how === "failed" ? "failed" : end.how, endedAt: endedAt() });
      return end;
    }
    let problem: string | undefined;
    for (let tries = 1; tries <= (node.step.retries ?? 0) + 1; tries++) {
      if (tries > 1) this.mark(node, { state: "running", tries: tries - 1 });
      problem = await this.attempt(node, taker);
      if (problem === undefined || signal.aborted) break;
    }
    // Left as it is: the next start sees that it was under way.
    if (signal.reason === OWN_END) return { how: "stopped", message: "Holotaxis was stopped." };
    if (signal.aborted) {
      this.mark(node, { state: "stopped", endedAt: endedAt(), message: `Stopped by ${String(signal.reason)}.` });
      return { how: "stopped", message: `Stopped by ${String(signal.reason)} during step ${number}.` };
    }
    if (problem === undefined) {
      this.mark(node, { state: "passed", endedAt: endedAt() });
      return PASSED;
    }
    if (node.step.onFailure === "continue") {
      this.mark(node, { state: "borne", endedAt: endedAt(), message: problem });
      return PASSED;
    }
    this.mark(node, { state: "failed", endedAt: endedAt(), message: problem });
    return {
      how: "failed",
      message: `Step ${number}, “${node.step.title}”: ${problem}`,
      rollBack: node.step.onFailure === "rollback",
    };
  }

  private async attempt(node: Node, taker: NonNullable<ReturnType<typeof takerOf>>): Promise<string | undefined> {
    const { world, runId, tell } = this.parts;
    const context = this.contextOf(node);
    if ("problem" in context) return context.problem;
    const output = new StepOutput(world, runId, node.position, tell);
    context.print = (text) => output.take(text);
    context.keepSecret = (secrets) => output.keepSecret(secrets);
    try {
      return await taker(node.step, context);
    } catch (error) {
      return error instanceof Error ? error.message : "The step failed.";
    } finally {
      output.end();
    }
  }

  private contextOf(node: Node): StepContext | { problem: string } {
    const { world, runId, runbook, args, startedAtMs, signal, ask } = this.parts;
    const target = componentById(world.db, node.targetId);
    if (!target) return { problem: "The target is not there any more." };
    const taken = takenOf(world.db, runId);
    const values = Object.fromEntries(Object.entries(taken).map(([name, value]) => [`values.${name}`, textOf(value)]));
    return {
      world,
      runId,
      position: node.position,
      runbook,
      startedAtMs,
      target,
      words: { ...node.words, ...values },
      taken,
      args,
      signal,
      ...(this.keepsLines ? { lines: this.lines } : {}),
      print: () => undefined,
      keepSecret: () => undefined,
      keep: (kept) => keepTaken(world.db, runId, kept),
      note: (made) => updateStep(world.db, runId, node.position, { state: "running", ...made }),
      ask: async (untilMs) => {
        this.mark(node, { state: "asking", askUntil: untilMs });
        this.parts.tell();
        // A wait that was cut off goes on to the end it had.
        return ask(node.position, askUntil(world.db, runId, node.position) ?? untilMs, signal);
      },
    };
  }

  /** Steps that hold others. */
  private async holder(node: Node): Promise<End> {
    switch (node.step.type) {
      case "choose": {
        const context = this.contextOf(node);
        if ("problem" in context) return { how: "failed", message: context.problem, rollBack: false };
        let isSo: boolean;
        try {
          isSo = holds(node.step.if, scopeOf(context));
        } catch (error) {
          return { how: "failed", message: (error as Error).message, rollBack: node.step.onFailure === "rollback" };
        }
        this.skip(this.under(node, isSo ? "otherwise" : "do"));
        return this.list(this.under(node, isSo ? "do" : "otherwise"));
      }
      case "each":
        return this.each(node, node.step);
      default:
        return this.list(this.under(node, "inner"));
    }
  }

  private skip(nodes: readonly Node[]): void {
    for (const node of nodes) {
      this.mark(node, { state: "skipped" });
      this.skip(this.nodes.filter((one) => one.parent === node.position));
    }
  }

  private async each(node: Node, step: EachStep): Promise<End> {
    const members = [...new Set(this.under(node, "each").map((one) => one.targetId))];
    const most = (step.failedPercent / 100) * members.length;
    const failures: { member: number; end: Exclude<End, { how: "passed" }> }[] = [];
    const enough = new AbortController();
    const tooMany = () => failures.length > most || failures.some(({ end }) => end.how !== "failed" || end.rollBack);
    await eachLimited(
      members,
      Math.max(1, step.atOnce),
      async (member) => {
        const end = await this.list(this.under(node, "each", member));
        if (end.how !== "passed") failures.push({ member, end });
        if (tooMany()) enough.abort();
      },
      enough.signal,
    );
    const [first] = failures;
    if (!first) return PASSED;
    const worst = failures.find(({ end }) => end.how !== "failed") ?? first;
    if (!tooMany()) {
      updateStep(this.parts.world.db, this.parts.runId, node.position, {
        state: "running",
        message: `${failures.length} of ${members.length} failed.`,
      });
      return PASSED;
    }
    if (worst.end.how !== "failed" || members.length === 1) return worst.end;
    const name = componentById(this.parts.world.db, worst.member)?.name ?? worst.member;
    const left = members.length - failures.length;
    return {
      ...worst.end,
      message: `${worst.end.message} (${name}; ${failures.length} of ${members.length} failed, ${left} were done or not begun)`,
    };
  }
}

/** The step that takes another back, where it has one. */
export function undoOf(step: Step): Step | undefined {
  const undo = "undo" in step ? step.undo : undefined;
  return (
    undo && ({ ...undo, title: `Take back: ${step.title}`, onFailure: "stop", retries: 0, take: {} } as unknown as Step)
  );
}

const textOf = (value: unknown): string => (typeof value === "string" ? value : JSON.stringify(value));

/** A component as placeholders name it. */
export const wordsOfTarget = (target: ComponentRow | undefined, host: ComponentRow | undefined) => ({
  "target.name": target?.name ?? "",
  "target.host": host?.name ?? target?.name ?? "",
  "target.address": target?.address ?? host?.address ?? "",
  "target.site": target?.site ?? "",
  "target.kind": target?.kind ?? "",
});
