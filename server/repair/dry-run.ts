import { holds } from "#core/repair/expression";
import type { LaidStep } from "#core/repair/lay-out";
import { kindOfStep, type Step } from "#core/repair/steps/registry";
import { componentById, type ComponentRow } from "../store/estate";
import { reachOf } from "../vault/reach";
import { newestFigure, scopeOf } from "./figures";
import { placeOf } from "./place";
import type { Prepared } from "./prepare";
import { countRows } from "./steps/sql";
import type { RunnerWorld } from "./world";

/** One step of a dry run: what would be done where, with every word filled in. */
export interface DryStep {
  position: number;
  parent: number | null;
  branch: LaidStep["branch"];
  type: Step["type"];
  title: string;
  component: string;
  /** Where it would be carried out, where that is elsewhere. */
  at: string | null;
  words: string;
  acts: boolean;
  hasUndo: boolean;
  /** What would stop it there: no way in, no such switch. */
  problem: string | null;
  /** Of checks: the figure as it is now, and whether it would pass. */
  now: string | null;
}

/** Databases are asked to count for at most so many steps of a dry run. */
const MOST_COUNTED = 20;

/**
 * What a run would do. Nothing is changed; checks are read from what is measured now, and what a statement is about is
 * counted by its database.
 */
export async function dryRun(world: RunnerWorld, { run }: Pick<Prepared, "run">): Promise<DryStep[]> {
  const counted = run.laid.filter(({ step }) => step.type === "sql" && step.count !== undefined).slice(0, MOST_COUNTED);
  const counts = new Map(
    await Promise.all(counted.map(async (one) => [one.position, await countNow(world, one, run)] as const)),
  );
  return run.laid.map((one) => dryStep(world, one, run, counts.get(one.position)));
}

/** Why a run could not even begin to act, as a sentence: no way in, no such switch. */
export const wayProblem = (world: RunnerWorld, { run }: Pick<Prepared, "run">): string | undefined =>
  run.laid.map((one) => dryStep(world, one, run, null).problem).find((problem) => problem !== null) ?? undefined;

async function countNow(world: RunnerWorld, { step, targetId, words }: LaidStep, run: Prepared["run"]) {
  const target = componentById(world.db, targetId);
  if (step.type !== "sql" || !target) return null;
  const ended = new AbortController();
  const where = {
    world,
    target,
    words,
    signal: ended.signal,
    runbook: run.definition.name,
    keepSecret: () => undefined,
  };
  return countRows(step, where);
}

function dryStep(world: RunnerWorld, one: LaidStep, run: Prepared["run"], counted: string | null | undefined): DryStep {
  const { db, now } = world;
  const target = componentById(db, one.targetId);
  const kind = kindOfStep(one.step.type);
  const place = one.step.type === "command" && target ? placeOf(db, target, one.step.at ?? "target", now()) : target;
  const where = place && !("problem" in place) ? place : undefined;
  const isRemote = one.step.type === "command" || one.step.type === "script";
  const reach = isRemote && where ? reachOf(db, where, now()) : undefined;
  return {
    position: one.position,
    parent: one.parent,
    branch: one.branch,
    type: one.step.type,
    title: one.step.title,
    component: target?.name ?? "?",
    at: where && where.id !== target?.id ? where.name : null,
    words: kind.words(one.step as never, one.words),
    acts: kind.acts,
    hasUndo: "undo" in one.step && one.step.undo !== undefined,
    problem:
      kind.refuses?.(one.step as never, one.words) ??
      (place && "problem" in place ? place.problem : reach && "problem" in reach ? reach.problem : null),
    now: counted ?? (target ? readNow(world, one, target, run.args) : null),
  };
}

function readNow(
  world: RunnerWorld,
  { step, words }: LaidStep,
  target: ComponentRow,
  args: Record<string, string>,
): string | null {
  if (step.type === "check" && step.metric !== undefined) {
    const value = newestFigure(world, target.id, step.metric, step.instance);
    if (Number.isNaN(value)) return "not measured";
    return `${Number(value.toPrecision(4))} now: ${(step.is === "below") === value < step.value ? "passes" : "does not pass yet"}`;
  }
  const condition = step.type === "check" ? step.condition : step.type === "choose" ? step.if : undefined;
  if (condition === undefined) return null;
  try {
    return holds(condition, scopeOf({ world, target, words, taken: {}, args })) ? "holds now" : "does not hold now";
  } catch {
    return "known only during the run";
  }
}
