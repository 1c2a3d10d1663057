import { commandLine, fillText, type RunState, type Step } from "#core/repair/runbook";
import { spokenDuration } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { metricTitle } from "#core/catalogue/metrics";
import { reachOf } from "../vault/reach";
import { runOverSsh, type CommandResult } from "../outside/ssh";
import { insertChange } from "../store/changes";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { noteIncident } from "../store/incidents";
import type { LiveEvent } from "../events";
import { appendOutput, endRun, hostKeyOf, insertRun, trustHostKey, updateStep, type NewRun } from "../store/runs";
import type { Vault } from "../vault/vault";
import { readSamples } from "../store/signals";
import type { SampleWriter } from "../ingest/sample-writer";

export interface RunnerWorld {
  db: Db;
  sampleWriter: SampleWriter;
  now: () => number;
  /** Waits a span of the clock's time. */
  sleep: (ms: number, signal: AbortSignal) => Promise<void>;
  /** A span of the clock's time as machine milliseconds. */
  machineMs: (ms: number) => number;
  vault: Pick<Vault, "use" | "note">;
  emit: (event: LiveEvent) => void;
}

/** Output of one step is kept up to this many characters; what comes after is counted and left out. */
const MOST_OUTPUT = 65_536;

/** Carries runs out, step by step, and keeps a full record: who, what command, what it printed, how it ended. */
export class Runner {
  private readonly under = new Map<number, { abort: AbortController; work: Promise<void> }>();

  constructor(private readonly world: RunnerWorld) {}

  /** Writes the run down and starts it; returns its id at once. */
  start(run: NewRun): number {
    const { db, now } = this.world;
    const id = db.transaction(() => {
      const made = insertRun(db, run, now());
      const target = componentById(db, run.componentId);
      insertChange(db, {
        atMs: now(),
        kind: "runbook",
        componentId: run.componentId,
        summary: `Runbook “${run.definition.name}” started on ${target?.name}`,
        by: run.by,
      });
      if (run.incidentId !== null)
        noteIncident(
          db,
          run.incidentId,
          "run",
          `Runbook “${run.definition.name}” started on ${target?.name}`,
          run.by,
          now(),
        );
      return made;
    })();
    const abort = new AbortController();
    const entry = { abort, work: Promise.resolve() };
    this.under.set(id, entry);
    entry.work = this.carryOut(id, run, abort.signal).finally(() => this.under.delete(id));
    return id;
  }

  /** @param by who ends it; stands on its record */
  stop(id: number, by: string): boolean {
    const run = this.under.get(id);
    run?.abort.abort(by);
    return run !== undefined;
  }

  private tell(id: number): void {
    this.world.emit({ topic: "run", id });
  }

  /** Stops every run, and waits until each has written how it ended. */
  async stopAll(): Promise<void> {
    const under = [...this.under.values()];
    for (const { abort } of under) abort.abort("the end of the program");
    await Promise.allSettled(under.map(({ work }) => work));
  }

  private async carryOut(id: number, run: NewRun, signal: AbortSignal): Promise<void> {
    const { db, now } = this.world;
    const tell = (runId: number) => this.tell(runId);
    const startedAt = now();
    let state: RunState = "passed";
    let message: string | null = null;
    const steps = run.definition.steps;
    for (let position = 0; position < steps.length; position++) {
      const step = steps[position] as Step;
      if (state !== "passed" || signal.aborted) {
        if (signal.aborted && state === "passed") {
          state = "stopped";
          message = `Stopped by ${String(signal.reason)}.`;
        }
        updateStep(db, id, position, { state: "skipped" });
        continue;
      }
      updateStep(db, id, position, { state: "running", startedAt: now() });
      tell(id);
      let problem: string | undefined;
      try {
        problem = await this.takeStep(id, position, step, run, startedAt, signal);
      } catch (error) {
        problem = error instanceof Error ? error.message : "The step failed.";
      }
      if (signal.aborted) {
        state = "stopped";
        message = `Stopped by ${String(signal.reason)} during step ${position + 1}.`;
        updateStep(db, id, position, {
          state: "stopped",
          endedAt: now(),
          message: `Stopped by ${String(signal.reason)}.`,
        });
      } else if (problem !== undefined) {
        state = "failed";
        message = `Step ${position + 1}, “${step.title}”: ${problem}`;
        updateStep(db, id, position, { state: "failed", endedAt: now(), message: problem });
      } else updateStep(db, id, position, { state: "passed", endedAt: now() });
      tell(id);
    }
    db.transaction(() => {
      endRun(db, id, state, message, now());
      const outcome =
        state === "passed" ? `ended well after ${spokenDuration(now() - startedAt)}` : `${state}: ${message}`;
      if (run.incidentId !== null)
        noteIncident(db, run.incidentId, "run", `Runbook “${run.definition.name}” ${outcome}`, run.by, now());
    })();
    tell(id);
  }

  /** @returns a sentence when the step failed */
  private async takeStep(
    id: number,
    position: number,
    step: Step,
    run: NewRun,
    startedAt: number,
    signal: AbortSignal,
  ): Promise<string | undefined> {
    const { db, sleep } = this.world;
    switch (step.type) {
      case "note":
        appendOutput(db, id, position, fillText(step.text, run.args));
        return undefined;
      case "wait":
        await sleep(step.seconds * 1000, signal);
        return undefined;
      case "check":
        return this.check(id, position, step, run, startedAt, signal);
      case "command": {
        const line = commandLine(step.argv, run.args);
        updateStep(db, id, position, { state: "running", command: line });
        const output = this.outputTo(id, position);
        const result = await this.command(run, line, step.timeoutSeconds, output.take, signal);
        output.end();
        updateStep(db, id, position, { state: "running", exitCode: result.exitCode });
        if (result.failure) return result.failure;
        return step.accept.includes(result.exitCode ?? -1)
          ? undefined
          : `The command ended with exit code ${result.exitCode}.`;
      }
    }
  }

  /** Runs a command line on the target, with the first of its credentials that lets us in. */
  private async command(
    run: NewRun,
    line: string,
    timeoutSeconds: number,
    take: (text: string) => void,
    signal: AbortSignal,
  ): Promise<CommandResult> {
    const { db, now, vault } = this.world;
    const target = componentById(db, run.componentId);
    const reach = target ? reachOf(db, target, now()) : { problem: "The target is not there any more." };
    if ("problem" in reach) return { exitCode: null, failure: reach.problem };
    const purpose = `“${run.definition.name}” on ${target?.name}`;
    let result: CommandResult = { exitCode: null };
    for (const credential of reach.credentials) {
      const { fields } = vault.use(credential, purpose);
      result = await runOverSsh(
        {
          address: reach.address,
          port: reach.port,
          user: fields.user ?? "",
          ...(credential.kind === "ssh-key" ? { privateKey: fields.privateKey } : { password: fields.password }),
          // Asked anew each time: the host may have been met with the credential before.
          knownFingerprint: hostKeyOf(db, reach.address, reach.port)?.fingerprint,
          trust: (fingerprint) => trustHostKey(db, reach.address, reach.port, fingerprint, now()),
        },
        line,
        this.world.machineMs(timeoutSeconds * 1000) + 3000,
        take,
        signal,
      );
      vault.note(credential.id, purpose, result.refusedSignIn ? (result.failure ?? "refused") : null);
      if (!result.refusedSignIn) break;
    }
    return result;
  }

  private outputTo(id: number, position: number) {
    let waiting = "";
    let kept = 0;
    let left = 0;
    const write = () => {
      if (!waiting) return;
      appendOutput(this.world.db, id, position, waiting);
      waiting = "";
      this.tell(id);
    };
    const timer = setInterval(write, 200);
    return {
      take: (text: string) => {
        const room = Math.max(0, MOST_OUTPUT - kept);
        waiting += text.slice(0, room);
        kept += Math.min(room, text.length);
        left += Math.max(0, text.length - room);
      },
      end: () => {
        clearInterval(timer);
        if (left) waiting += `\n… ${left} more characters were left out.`;
        write();
      },
    };
  }

  private async check(
    id: number,
    position: number,
    step: Extract<Step, { type: "check" }>,
    run: NewRun,
    startedAt: number,
    signal: AbortSignal,
  ): Promise<string | undefined> {
    const { db, sampleWriter, now, sleep } = this.world;
    const series = sampleWriter.measured(run.componentId, step.metric, step.instance);
    const title = metricTitle(step.metric, step.instance);
    if (!series) return `${title} is not measured on the target, so it cannot be checked.`;
    const limit = formatValue(step.value, series.unit);
    const until = now() + step.timeoutSeconds * 1000;
    let reported = 0;
    let mean = Number.NaN;
    while (now() < until && !signal.aborted) {
      const samples = readSamples(db, series.id, startedAt, now());
      const last = [...samples.values].slice(-step.meanOf);
      mean = last.reduce((sum, value) => sum + value, 0) / last.length;
      if (samples.times.length > reported) {
        reported = samples.times.length;
        appendOutput(
          db,
          id,
          position,
          `${title} ${formatValue(samples.values[reported - 1], series.unit)}, mean of ${last.length}: ${formatValue(mean, series.unit)} (wanted: ${step.is} ${limit})\n`,
        );
        this.tell(id);
        if (last.length >= step.meanOf && (step.is === "below" ? mean < step.value : mean > step.value))
          return undefined;
      }
      await sleep(1000, signal);
    }
    return `${title} was still ${formatValue(mean, series.unit)} after ${spokenDuration(step.timeoutSeconds * 1000)}; wanted ${step.is} ${limit}.`;
  }
}
