import { belowChoreLevel, missingWords } from "#core/repair/chore";
import { fillText } from "#core/repair/fill";
import { planRound, roundWords, type RoundEnd } from "#core/repair/round";
import { nextDue } from "#core/repair/triggers/registry";
import { MINUTE_MS, SECOND_MS, spokenDuration } from "#core/time/windows";
import {
  addItem,
  addRound,
  choreById,
  choreFallsBack,
  endItems,
  foretellItem,
  forgetRounds,
  itemOfRun,
  itemsOfRound,
  lastDueMs,
  listChores,
  openRounds,
  roundById,
  roundsOf,
  setItem,
  setNextAt,
  setRound,
  type ChoreRow,
  type ItemRow,
  type RoundRow,
} from "../store/chores";
import { PersonError } from "../store/database";
import { runbookByUid } from "../store/runbooks";
import { runById, type RunRow } from "../store/runs";
import { dryRun, wayProblem, type DryStep } from "./dry-run";
import { layWorld } from "./lay";
import { prepareRun, type Prepared } from "./prepare";
import type { Runner } from "./runner";
import { scopeOfChore } from "./scope";
import type { Due } from "./triggers/due";
import { eyesOf } from "./triggers/registry";
import type { RunnerWorld } from "./world";

/** Chores are looked at so often, clock time. */
const LOOK_EVERY_MS = 5 * SECOND_MS;
/** What a guardrail holds back is tried again so often. */
const REST_MS = 30 * SECOND_MS;
/** So many runs in a row without effect count as a failure. */
const WITHOUT_EFFECT = 2;
const MOST_ITEMS = 500;
/** Rounds of one chore that stay on record. */
const KEPT_ROUNDS = 100;
/** So many items of a round that is only watched are told what they would do. */
const MOST_TOLD = 50;
/** More are not tried in one look: each asks the whole estate. */
const MOST_TRIED = 20;

export interface ChoreParts {
  world: RunnerWorld;
  runner: Runner;
  plannedWork: (id: number) => string | null;
}

/**
 * Upkeep: lets chores come due by the clock or by what is seen, and does them one component after the other within their
 * guardrails. Every round is on record: what was due and why, what was done, and what was held back by what.
 */
export class Chores {
  private lookedMs = Number.NEGATIVE_INFINITY;
  private readonly seenMs = new Map<number, number>();
  private readonly rests = new Map<number, number>();

  constructor(private readonly parts: ChoreParts) {}

  /** What is due: call after each tick, outside a transaction. */
  work(nowMs: number): void {
    if (nowMs - this.lookedMs < LOOK_EVERY_MS && nowMs >= this.lookedMs) return;
    this.lookedMs = nowMs;
    const { db } = this.parts.world;
    for (const chore of listChores(db)) if (chore.definition.isOn) this.look(chore, nowMs);
    for (const round of openRounds(db)) this.goOn(round, nowMs);
  }

  /** Begins a round by hand, whether or not anything came due by itself. @returns its id */
  begin(id: number, by: string): number {
    const { db, now } = this.parts.world;
    const chore = choreById(db, id);
    if (!chore) throw new PersonError("That chore does not exist.");
    if (this.openRoundOf(id)) throw new PersonError("A round of it is going on already.");
    const due = this.dueOf(chore);
    if (due.length === 0) throw new PersonError("Nothing is due: there is no component that it would be done on now.");
    const roundId = this.open(chore, due, now(), by);
    const round = roundById(db, roundId) as RoundRow;
    if (round.state === "going") this.goOn(round, now());
    return roundId;
  }

  /** Somebody lets a round go on that asks, or not. */
  answer(roundId: number, by: string, approved: boolean): void {
    const { db, now } = this.parts.world;
    const round = roundById(db, roundId);
    if (round?.state !== "asking") throw new PersonError("That round asks nobody any more.");
    const chore = choreById(db, round.chore_id) as ChoreRow;
    if (approved) {
      // Its time begins when it was let go on.
      setRound(db, roundId, { state: "going", by, until: now() + chore.definition.withinMinutes * MINUTE_MS });
      this.goOn(roundById(db, roundId) as RoundRow, now());
    } else
      db.transaction(() => {
        endItems(db, roundId, "dropped");
        setRound(db, roundId, { state: "declined", by, words: `Declined by ${by}`, endedAt: now() });
      })();
  }

  /** A run has come to its end. */
  ended(run: RunRow): void {
    if (run.chore_id === null) return;
    const { db, now } = this.parts.world;
    const item = itemOfRun(db, run.id);
    if (item?.state === "running") this.settle(item, run);
    const round = item && roundById(db, item.round_id);
    if (round?.state === "going") this.goOn(round, now());
  }

  /** It is known how a run of a chore turned out. */
  proved(run: RunRow, proof: string): void {
    const { db } = this.parts.world;
    const chore = run.chore_id === null ? undefined : choreById(db, run.chore_id);
    if (!chore) return;
    if (proof === "worse") return this.fallBack(chore, `run ${run.id} made it worse`);
    if (proof !== "no effect") return;
    const last = roundsOf(db, chore.id, 20)
      .flatMap((round) => itemsOfRound(db, round.id))
      .flatMap((item) => (item.run_id === null ? [] : (runById(db, item.run_id) ?? [])))
      .filter((one) => one.proof !== null && one.proof !== "watching")
      .sort((a, b) => b.id - a.id)
      .slice(0, WITHOUT_EFFECT);
    if (last.length === WITHOUT_EFFECT && last.every((one) => one.proof === "no effect"))
      this.fallBack(chore, `${WITHOUT_EFFECT} runs in a row had no effect`);
  }

  // --- coming due

  private openRoundOf = (choreId: number): RoundRow | undefined =>
    openRounds(this.parts.world.db).find((one) => one.chore_id === choreId);

  private look(chore: ChoreRow, nowMs: number): void {
    const { trigger } = chore.definition;
    if (trigger.type === "times") return this.byClock(chore, nowMs);
    const seenMs = this.seenMs.get(chore.id) ?? Number.NEGATIVE_INFINITY;
    const { everyMs } = eyesOf(trigger);
    if (nowMs >= seenMs && nowMs - seenMs < (everyMs ?? 0)) return;
    this.seenMs.set(chore.id, nowMs);
    if (this.openRoundOf(chore.id)) return;
    const restMs = chore.definition.limits.coolDownMinutes * MINUTE_MS;
    const due = this.dueOf(chore).filter(({ component, instance }) => {
      const last = lastDueMs(this.parts.world.db, chore.id, component.id, instance);
      return last === undefined || nowMs - last >= Math.max(restMs, chore.definition.withinMinutes * MINUTE_MS);
    });
    if (due.length > 0) this.open(chore, due, nowMs, "Holotaxis");
  }

  private byClock(chore: ChoreRow, nowMs: number): void {
    const { db } = this.parts.world;
    const next = chore.next_at;
    if (next !== null && next > nowMs) return;
    setNextAt(db, chore.id, nextDue(chore.definition.trigger, nowMs));
    if (next === null) return;
    const lateMs = nowMs - next;
    if (lateMs > chore.definition.withinMinutes * MINUTE_MS)
      return this.note(
        chore,
        next,
        "missed",
        `Holotaxis did not run then, and ${spokenDuration(lateMs)} later was too late`,
      );
    if (this.openRoundOf(chore.id)) return this.note(chore, next, "missed", "The round before was still going on");
    const due = this.dueOf(chore);
    if (due.length === 0) return this.note(chore, next, "done", "There was no component to do it on");
    this.open(chore, due, next, "Holotaxis");
  }

  private note(chore: ChoreRow, dueMs: number, state: "missed" | "done", words: string): void {
    forgetRounds(this.parts.world.db, chore.id, KEPT_ROUNDS);
    addRound(this.parts.world.db, {
      chore_id: chore.id,
      due_at: dueMs,
      until: dueMs,
      begun_by: "Holotaxis",
      state,
      words,
      ended_at: this.parts.world.now(),
    });
    this.tell();
  }

  /** What is due of a chore now. */
  dueOf({ definition }: Pick<ChoreRow, "definition">): Due[] {
    const { world } = this.parts;
    const runbook = runbookByUid(world.db, definition.runbook);
    if (!runbook) return [];
    const scope = scopeOfChore(world.db, definition, runbook.definition.kinds, world.now());
    return eyesOf(definition.trigger).due(definition.trigger, scope, world).slice(0, MOST_ITEMS);
  }

  private open(chore: ChoreRow, due: readonly Due[], dueMs: number, by: string): number {
    const { db, now } = this.parts.world;
    const { level, withinMinutes } = chore.definition;
    const state = ({ watch: "watched", approve: "asking", automatic: "going" } as const)[level];
    const id = db.transaction(() => {
      forgetRounds(db, chore.id, KEPT_ROUNDS);
      const made = addRound(db, {
        chore_id: chore.id,
        due_at: dueMs,
        until: Math.max(now(), dueMs) + withinMinutes * MINUTE_MS,
        begun_by: by,
        state,
        words: "",
        ended_at: state === "watched" ? now() : null,
      });
      for (const one of due)
        addItem(db, made, {
          component_id: one.component.id,
          instance: one.instance,
          why: one.why,
          words: one.words,
        });
      return made;
    })();
    if (state !== "going") this.foretell(chore, id);
    this.tell();
    return id;
  }

  /** Says of each item what would be done, or what would hold it back; databases are asked to count first. */
  private foretell(chore: ChoreRow, roundId: number): void {
    const { world } = this.parts;
    for (const item of itemsOfRound(world.db, roundId).slice(0, MOST_TOLD)) {
      const prepared = this.prepare(chore, item);
      if ("problem" in prepared) {
        setItem(world.db, item.id, { state: "waiting", said: prepared.problem });
        continue;
      }
      setItem(world.db, item.id, { state: "waiting", rulings: prepared.rulings });
      void dryRun(world, prepared)
        .then((steps) => foretellItem(world.db, item.id, actsOf(steps)))
        .catch((error: unknown) => world.reportProblem(`A dry run failed: ${String(error)}`));
    }
  }

  // --- rounds

  private goOn(round: RoundRow, nowMs: number): void {
    const { db } = this.parts.world;
    const chore = choreById(db, round.chore_id);
    if (!chore) return;
    if (round.state === "asking") {
      if (nowMs > round.until) this.end(chore, round, "out of time", "Nobody answered");
      return;
    }
    for (const item of itemsOfRound(db, round.id)) if (item.state === "running") this.settle(item);
    const items = itemsOfRound(db, round.id);
    // A chore that is not trusted any more, or was switched off, begins nothing.
    const isOff = !chore.definition.isOn || chore.definition.level === "watch";
    const plan = planRound(chore.definition, items, isOff || nowMs > round.until);
    if (plan.end) return this.end(chore, round, plan.end, isOff ? "It is not done any more" : "");
    let room = plan.room;
    let tried = 0;
    for (const id of plan.next) {
      if (room === 0 || tried === MOST_TRIED) break;
      const rests = this.rests.get(id) ?? 0;
      if (rests > nowMs && rests - nowMs <= REST_MS) continue;
      tried++;
      if (this.start(chore, items.find((one) => one.id === id) as ItemRow)) room--;
      else this.rests.set(id, nowMs + REST_MS);
    }
  }

  /** @returns whether it was begun */
  private start(chore: ChoreRow, item: ItemRow): boolean {
    const { db } = this.parts.world;
    const prepared = this.prepare(chore, item);
    if ("problem" in prepared) {
      setItem(db, item.id, { state: "waiting", said: prepared.problem });
      return false;
    }
    if (prepared.held) {
      const said = prepared.rulings.flatMap((one) => (one.holds ? one.words : [])).join("; ");
      setItem(db, item.id, { state: "waiting", rulings: prepared.rulings, said });
      return false;
    }
    const problem = wayProblem(this.parts.world, prepared);
    if (problem !== undefined) {
      // Waiting opens no way in.
      setItem(db, item.id, { state: "held", rulings: prepared.rulings, said: problem });
      return false;
    }
    // What it is about is written down before anything is done, so that no kill can have it done twice.
    setItem(db, item.id, { state: "running", rulings: prepared.rulings, said: "" });
    setItem(db, item.id, { state: "running", runId: this.parts.runner.start(prepared.run) });
    this.tell();
    return true;
  }

  private prepare(chore: ChoreRow, item: ItemRow): Prepared | { problem: string } {
    const { world, plannedWork } = this.parts;
    const { definition } = chore;
    const runbook = runbookByUid(world.db, definition.runbook);
    if (runbook?.state !== "approved") return { problem: `The runbook ${definition.runbook} is not approved.` };
    const words = { ...item.words, ...layWorld(world.db, [item.component_id], world.now()).wordsOf(item.component_id) };
    const [missing] = missingWords(definition, words);
    if (missing !== undefined) return { problem: `It is not known what ${missing} is.` };
    const watched = eyesOf(definition.trigger).watched?.(
      definition.trigger,
      { componentId: item.component_id, instance: item.instance },
      world,
    );
    try {
      return prepareRun(
        world,
        {
          runbook,
          componentIds: [item.component_id],
          atOnce: 1,
          failedPercent: 0,
          incidentId: null,
          policyId: null,
          choreId: chore.id,
          mindsIncidents: !definition.duringIncidents,
          ...(watched ? { watched } : {}),
          args: Object.fromEntries(
            Object.entries(definition.args).map(([name, text]) => [name, fillText(text, words)]),
          ),
          by: `chore ${definition.name}`,
          limits: definition.limits,
        },
        plannedWork,
      );
    } catch (error) {
      if (error instanceof PersonError) return { problem: error.message };
      throw error;
    }
  }

  /** Takes down how the run of an item ended, where it has. */
  private settle(item: ItemRow, run = item.run_id === null ? undefined : runById(this.parts.world.db, item.run_id)) {
    const { db } = this.parts.world;
    if (!run) {
      // The program was killed between writing it down and beginning.
      setItem(db, item.id, { state: "failed", said: "Holotaxis was stopped just then; nothing was begun." });
      return;
    }
    if (run.state === "running") return;
    setItem(db, item.id, { state: run.state === "passed" ? "passed" : "failed", said: run.message ?? "" });
    this.measure(run);
    this.tell();
  }

  /** How it ended is a figure of the component like any other: judged by rules, kept, drawn, told of. */
  private measure(run: RunRow): void {
    const { db, sampleWriter, now } = this.parts.world;
    const chore = run.chore_id === null ? undefined : choreById(db, run.chore_id);
    if (!chore || run.state === "stopped") return;
    const owner = { componentId: run.component_id, serviceId: null };
    const series = sampleWriter.series(owner, "chore.done", chore.definition.name, "0/1", run.started_at);
    sampleWriter.record(series, now(), run.state === "passed" ? 1 : 0);
  }

  private end(chore: ChoreRow, round: RoundRow, end: RoundEnd, why: string): void {
    const { db, now } = this.parts.world;
    for (const { id } of itemsOfRound(db, round.id)) this.rests.delete(id);
    db.transaction(() => {
      endItems(db, round.id, end === "out of time" ? "held" : "dropped");
      const items = itemsOfRound(db, round.id);
      const words = [why, roundWords(items.map((one) => one.state))].filter(Boolean).join(": ");
      setRound(db, round.id, { state: end, words, endedAt: now() });
      if (end === "stopped") {
        const failed = items.filter((one) => one.state === "failed");
        this.fallBack(chore, `it failed on ${failed.map((one) => one.component).join(", ")}`);
      }
    })();
    this.tell();
  }

  /** Trust falls back a step. */
  private fallBack(chore: ChoreRow, why: string): void {
    const { db, now } = this.parts.world;
    const { level } = chore.definition;
    if (level !== "watch") choreFallsBack(db, chore, belowChoreLevel(level), why, now());
  }

  private tell(): void {
    this.parts.world.emit({ topic: "estate", atMs: this.parts.world.now() });
  }
}

/** What a dry run would do, in a sentence: its steps that act, with what stops them. */
function actsOf(steps: readonly DryStep[]): string {
  const acting = steps.filter((one) => one.acts);
  const said = acting.map((one) => [one.words, one.now, one.problem].filter(Boolean).join(": "));
  return (said.join("; ") || "Nothing that acts").slice(0, 600);
}
