import { setMaxListeners } from "node:events";
import { commandLine } from "#core/repair/steps/command";
import { spokenDuration } from "#core/time/windows";
import { noteTried } from "../store/runbooks";
import { insertChange } from "../store/changes";
import { storeProblem } from "../store/database";
import { componentById } from "../store/estate";
import { noteIncident } from "../store/incidents";
import {
  appendOutput,
  endCutRollbacks,
  endRun,
  insertRun,
  laidSteps,
  openRuns,
  runById,
  setRollback,
  setUnknownStep,
  stepsOfRun,
  updateStep,
  type NewRun,
  type RunRow,
} from "../store/runs";
import { commandAt } from "./over-ssh";
import { StepOutput } from "./output";
import { OWN_END, Walk, type End } from "./walk";
import type { RunnerWorld } from "./world";

export type { RunnerWorld } from "./world";

interface UnderWay {
  abort: AbortController;
  work: Promise<void>;
}
type Answer = (answer: { by: string; approved: boolean }) => void;

/** Carries runs out, step by step, and keeps a full record: who, what command, what it printed, how it ended. */
export class Runner {
  private readonly under = new Map<number, UnderWay>();
  private readonly asked = new Map<string, Answer>();

  /** @param onEnd called when a run has come to its end, with how it is to be proved */
  constructor(
    private readonly world: RunnerWorld,
    private readonly onEnd: (run: RunRow) => void = () => undefined,
  ) {}

  /** Writes the run down and starts it; returns its id at once. */
  start(run: NewRun): number {
    const { db, now } = this.world;
    const id = db.transaction(() => {
      const made = insertRun(db, run, now());
      const target = componentById(db, run.componentId);
      const summary = `Runbook “${run.definition.name}” started on ${target?.name}`;
      insertChange(db, { atMs: now(), kind: "runbook", componentId: run.componentId, summary, by: run.by });
      if (run.incidentId !== null) noteIncident(db, run.incidentId, "run", summary, run.by, now());
      return made;
    })();
    this.begin(id, (signal) => this.carryOut(id, signal));
    return id;
  }

  /** Goes on with the runs that the program's end cut off: what only waits goes on, what acted is said to be unknown. */
  resume(): void {
    const { db, now } = this.world;
    endCutRollbacks(db);
    for (const run of openRuns(db)) {
      if (laidSteps(db, run.id).length > 0) this.begin(run.id, (signal) => this.carryOut(run.id, signal));
      // A version before did not lay its runs out.
      else
        endRun(
          db,
          run.id,
          "stopped",
          "Cut off because Holotaxis was stopped. Look at what the last step did before starting again.",
          now(),
        );
    }
  }

  private begin(id: number, work: (signal: AbortSignal) => Promise<void>): void {
    const abort = new AbortController();
    // Of a run over many targets each step under way listens to it.
    setMaxListeners(0, abort.signal);
    const entry: UnderWay = { abort, work: Promise.resolve() };
    this.under.set(id, entry);
    entry.work = work(abort.signal)
      // The store took nothing: what is on record is gone on with at the next start.
      .catch((error: unknown) =>
        this.world.reportProblem(storeProblem(error) ?? `Run ${id} could not be carried on: ${String(error)}`),
      )
      .finally(() => this.under.delete(id));
  }

  /** @param by who ends it; stands on its record */
  stop(id: number, by: string): boolean {
    const run = this.under.get(id);
    run?.abort.abort(by);
    return run !== undefined;
  }

  /** Somebody approves what a step asks, or does not. @returns whether it still asked */
  answer(id: number, position: number, by: string, approved: boolean): boolean {
    const key = `${id}:${position}`;
    const answer = this.asked.get(key);
    if (!answer) return false;
    updateStep(this.world.db, id, position, { state: "asking", answeredBy: by });
    this.asked.delete(key);
    answer({ by, approved });
    return true;
  }

  /** Takes back what a run that is over did. @returns whether there was anything to take back */
  rollBack(id: number, by: string): boolean {
    const run = runById(this.world.db, id);
    if (!run || run.state === "running" || this.under.has(id) || run.rollback !== null) return false;
    this.begin(id, (signal) => this.undo(run, by, signal));
    return true;
  }

  /** Looks, by the step's own command that only reads, at what an interrupted step did. @returns a sentence when it failed */
  async look(id: number, position: number): Promise<string | undefined> {
    const run = runById(this.world.db, id);
    const node = laidSteps(this.world.db, id).find((one) => one.position === position);
    const target = node && componentById(this.world.db, node.targetId);
    if (!run || !target || node?.step.type !== "command" || !node.step.look) return "There is nothing to look with.";
    const line = commandLine(node.step.look, node.words);
    appendOutput(this.world.db, id, position, `\n$ ${line}\n`);
    const output = new StepOutput(this.world, id, position, () => this.tell(id));
    const context = {
      world: this.world,
      runbook: run.runbook,
      target,
      signal: new AbortController().signal,
      print: (text: string) => output.take(text),
      keepSecret: (secrets: Iterable<string | undefined>) => output.keepSecret(secrets),
    };
    const result = await commandAt(context, node.step.at ?? "target", line, 30);
    output.take(`\nexit code ${result.exitCode ?? "none"}\n`);
    output.end();
    return result.failure;
  }

  private tell(id: number): void {
    this.world.emit({ topic: "run", id });
  }

  /** Stops every run, and waits until each has written how it ended; those under way are gone on with at the next start. */
  async stopAll(): Promise<void> {
    const under = [...this.under.values()];
    for (const { abort } of under) abort.abort(OWN_END);
    await Promise.allSettled(under.map(({ work }) => work));
  }

  private walkOf(run: RunRow, signal: AbortSignal): Walk {
    return new Walk({
      world: this.world,
      runId: run.id,
      runbook: run.runbook,
      args: JSON.parse(run.args) as Record<string, string>,
      startedAtMs: run.started_at,
      signal,
      tell: () => this.tell(run.id),
      ask: (position, untilMs, ended) => this.ask(run.id, position, untilMs, ended),
    });
  }

  private ask(id: number, position: number, untilMs: number, signal: AbortSignal) {
    const key = `${id}:${position}`;
    return new Promise<{ by: string; approved: boolean } | undefined>((resolve) => {
      this.asked.set(key, resolve);
      const rest = new AbortController();
      const ended = () => rest.abort();
      signal.addEventListener("abort", ended);
      void this.world.sleep(Math.max(0, untilMs - this.world.now()), rest.signal).then(() => {
        signal.removeEventListener("abort", ended);
        this.asked.delete(key);
        resolve(undefined);
      });
    });
  }

  private async carryOut(id: number, signal: AbortSignal): Promise<void> {
    const { db, now } = this.world;
    const run = runById(db, id);
    if (!run) return;
    const walk = this.walkOf(run, signal);
    const end = await walk.all().catch((error: unknown): End => ({
      how: "failed",
      message: error instanceof Error ? error.message : String(error),
      rollBack: false,
    }));
    // Left as it stands: the next start goes on with it.
    if (signal.aborted && signal.reason === OWN_END) return;
    walk.skipRest();
    const state = end.how === "unknown" ? "stopped" : end.how;
    const message = end.how === "passed" ? null : end.message;
    db.transaction(() => {
      endRun(db, id, state, message, now());
      if (end.how === "unknown") setUnknownStep(db, id, end.position);
      if (end.how === "passed" && run.version !== null) noteTried(db, run.runbook_id, run.version);
      const outcome =
        state === "passed" ? `ended well after ${spokenDuration(now() - run.started_at)}` : `${state}: ${message}`;
      if (run.incident_id !== null)
        noteIncident(db, run.incident_id, "run", `Runbook “${run.runbook}” ${outcome}`, run.started_by, now());
    })();
    this.tell(id);
    if (end.how === "failed" && end.rollBack) await this.undo(run, run.started_by, signal);
    const ended = runById(db, id);
    if (ended) this.onEnd(ended);
    this.tell(id);
  }

  private async undo(run: RunRow, by: string, signal: AbortSignal): Promise<void> {
    const { db, now } = this.world;
    setRollback(db, run.id, "running");
    this.tell(run.id);
    const problem = await this.walkOf(run, signal).undo();
    db.transaction(() => {
      setRollback(db, run.id, problem === undefined ? "passed" : "failed");
      const words = problem === undefined ? "was taken back" : `was not taken back whole: ${problem}`;
      insertChange(db, {
        atMs: now(),
        kind: "runbook",
        componentId: run.component_id,
        summary: `Runbook “${run.runbook}” ${words}`,
        by,
      });
      if (run.incident_id !== null)
        noteIncident(db, run.incident_id, "run", `Runbook “${run.runbook}” ${words}`, by, now());
    })();
    this.tell(run.id);
  }
}

/** Whether a run did anything that can be taken back. */
export function canBeTakenBack(world: Pick<RunnerWorld, "db">, run: RunRow): boolean {
  return (
    run.state !== "running" &&
    run.rollback === null &&
    stepsOfRun(world.db, run.id).length > 0 &&
    laidSteps(world.db, run.id).some(
      (node) => node.state === "passed" && "undo" in node.step && node.step.undo !== undefined,
    )
  );
}
