import { fillText, type Words } from "./fill";
import { checkArguments, type Runbook } from "./runbook";
import { insideOf, type EachStep, type Step } from "./steps/registry";

/** One step of a run, laid out: a step that holds others comes before them. */
export interface LaidStep {
  position: number;
  /** Position of the step that holds it; null for the outermost. */
  parent: number | null;
  branch: "" | "do" | "otherwise" | "each" | "inner" | "undo";
  step: Step;
  targetId: number;
  /** What its placeholders stand for, apart from values that are taken out on the way. */
  words: Words;
}

export interface LayWorld {
  /** The approved version of another runbook. */
  runbook: (uid: string) => Runbook | undefined;
  /** Components that a step goes over. */
  over: (step: EachStep, targetId: number) => readonly number[];
  /** `target.name`, `target.host`, `target.address`, `target.site` and `target.kind` of a component. */
  wordsOf: (targetId: number) => Words;
}

/** It cannot be laid out; the message says what to do. */
export class LayoutError extends Error {}

export const MOST_TARGETS = 500;
const MOST_STEPS = 10_000;
const MOST_NESTED = 5;

/**
 * Lays a runbook out for a target: every step that a run could take, in order, each with the component it acts on and what
 * its placeholders stand for. Other runbooks and what is gone over are unfolded, so that a run is known whole before it
 * begins, and ends. Throws a LayoutError with a sentence where it targets nothing, calls itself or grows too large.
 */
export function layOut(runbook: Runbook, targetId: number, args: Words, world: LayWorld): LaidStep[] {
  const laid: LaidStep[] = [];
  const add = (one: Omit<LaidStep, "position">): number => {
    if (laid.length >= MOST_STEPS)
      throw new LayoutError(`This run would have more than ${MOST_STEPS} steps. Choose fewer targets.`);
    laid.push({ position: laid.length, ...one });
    return laid.length - 1;
  };
  const lay = (
    steps: readonly Step[],
    parent: number | null,
    branch: LaidStep["branch"],
    target: number,
    given: Words,
    within: readonly string[],
  ): void => {
    const words = { ...given, ...world.wordsOf(target) };
    for (const step of steps) {
      const position = add({ parent, branch, step: emptied(step), targetId: target, words });
      if (step.type === "each") {
        const members = [...new Set(world.over(step, target))];
        if (members.length === 0)
          throw new LayoutError(`“${step.title}” has nothing to go over: there is no such component.`);
        if (members.length > MOST_TARGETS)
          throw new LayoutError(
            `“${step.title}” would go over ${members.length} components; at most ${MOST_TARGETS} at once.`,
          );
        for (const member of members) lay(step.steps, position, "each", member, given, within);
      } else if (step.type === "runbook") {
        const inner = world.runbook(step.runbook);
        if (!inner)
          throw new LayoutError(`“${step.title}” needs the runbook ${step.runbook}, which is not approved here.`);
        if (within.includes(inner.uid))
          throw new LayoutError(`${[...within, inner.uid].join(" calls ")}: a runbook cannot call itself.`);
        if (within.length >= MOST_NESTED)
          throw new LayoutError(`Runbooks call each other more than ${MOST_NESTED} deep.`);
        const own = Object.fromEntries(
          inner.parameters.map((one) => [one.name, fillText(step.args[one.name] ?? one.usual, words)]),
        );
        const problem = checkArguments(inner, own);
        if (problem !== undefined) throw new LayoutError(`“${step.title}”: ${problem}`);
        lay(inner.steps, position, "inner", target, own, [...within, inner.uid]);
      } else
        for (const { branch: way, steps: inner } of insideOf(step)) lay(inner, position, way, target, given, within);
    }
  };
  lay(runbook.steps, null, "", targetId, args, [runbook.uid]);
  return laid;
}

/** A step without those that it holds: they are laid out on their own. */
function emptied(step: Step): Step {
  if (step.type === "choose") return { ...step, do: [], otherwise: [] };
  return step.type === "each" ? { ...step, steps: [] } : step;
}

/** A runbook for several targets: its steps for each, so many at a time. */
export const forTargets = (runbook: Runbook, atOnce: number, failedPercent: number): Runbook => ({
  ...runbook,
  steps: [
    {
      type: "each",
      title: `${runbook.name} on every target`,
      onFailure: "stop",
      retries: 0,
      over: "targets",
      atOnce,
      failedPercent,
      steps: runbook.steps,
    },
  ],
});
