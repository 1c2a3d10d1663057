import { kindMatches } from "#core/catalogue/kinds";
import { holds } from "#core/repair/expression";
import { isHeld, judgeAct, limitsSchema, type Limits, type Ruling } from "#core/repair/guardrails";
import { forTargets, LayoutError, layOut, MOST_TARGETS, type LaidStep } from "#core/repair/lay-out";
import { checkArguments, type Runbook } from "#core/repair/runbook";
import type { Step } from "#core/repair/steps/registry";
import { PersonError } from "../store/database";
import { componentById, type ComponentRow } from "../store/estate";
import { incidentById } from "../store/incidents";
import type { NewRun } from "../store/runs";
import { scopeOf } from "./figures";
import { layWorld } from "./lay";
import { silentComponents } from "./place";
import { situationOf } from "./situation";
import { standIns } from "./stand-ins";
import { watchedFigures } from "./watched";
import type { RunnerWorld } from "./world";

/** A run as it is asked for. */
export interface RunRequest {
  runbook: { id: number; name: string; version: number | null; definition: Runbook };
  componentIds: readonly number[];
  /** Of several targets, so many at a time, until this share has failed. */
  atOnce: number;
  failedPercent: number;
  incidentId: number | null;
  policyId: number | null;
  /** The chore that is done with it. */
  choreId?: number;
  /** An open incident about the target holds it back. */
  mindsIncidents?: boolean;
  /** Figures that it is to bring back, where there is no incident to tell them. */
  watched?: NewRun["watched"];
  args: Record<string, string>;
  by: string;
  /** Guardrails of the policy; the usual ones for what people start. */
  limits?: Limits;
  /** Somebody approves before anything is done. */
  approval?: Extract<Step, { type: "approve" }>;
}

export interface Prepared {
  run: NewRun;
  rulings: Ruling[];
  held: boolean;
}

const USUAL_LIMITS = limitsSchema.parse({});

/**
 * Looks a run over before anything is done: whether the runbook is for these targets, its arguments, what must be true
 * before, and what the guardrails say. Throws a PersonError with a sentence for what cannot be.
 */
export function prepareRun(
  world: Pick<RunnerWorld, "db" | "now" | "sampleWriter">,
  asked: RunRequest,
  plannedWork: (id: number) => string | null,
): Prepared {
  const { db, now } = world;
  const nowMs = now();
  const targets = targetsOfRequest(world, asked);
  const [first] = targets as [ComponentRow];
  const problem = checkArguments(asked.runbook.definition, asked.args);
  if (problem) throw new PersonError(problem);
  if (asked.incidentId !== null && !incidentById(db, asked.incidentId))
    throw new PersonError("That incident does not exist.");
  for (const target of targets) mustHold(world, asked, target);
  const definition =
    targets.length > 1
      ? forTargets(asked.runbook.definition, asked.atOnce, asked.failedPercent)
      : asked.runbook.definition;
  const laid = laidOut(
    asked.approval ? { ...definition, steps: [asked.approval, ...definition.steps] } : definition,
    first.id,
    asked.args,
    layWorld(
      db,
      targets.map((one) => one.id),
      nowMs,
    ),
  );
  const touches = [...new Set([...targets.map((one) => one.id), ...laid.map((one) => one.targetId)])];
  const situation = situationOf(db, {
    policyId: asked.policyId,
    choreId: asked.choreId ?? null,
    mindsIncidents: asked.mindsIncidents ?? false,
    runbookId: asked.runbook.id,
    incidentId: asked.incidentId,
    target: first,
    touches,
    nowMs,
    plannedWork,
  });
  const rulings = judgeAct(asked.limits ?? USUAL_LIMITS, situation);
  return {
    rulings,
    held: isHeld(rulings),
    run: {
      runbookId: asked.runbook.id,
      version: asked.runbook.version,
      definition,
      componentId: first.id,
      incidentId: asked.incidentId,
      policyId: asked.policyId,
      choreId: asked.choreId ?? null,
      args: asked.args,
      by: asked.by,
      laid,
      rulings,
      watched:
        asked.watched ?? (asked.incidentId === null ? [] : watchedFigures(db, asked.incidentId, first.id, nowMs)),
    },
  };
}

function laidOut(...given: Parameters<typeof layOut>): LaidStep[] {
  try {
    return layOut(...given);
  } catch (error) {
    if (error instanceof LayoutError) throw new PersonError(error.message);
    throw error;
  }
}

function targetsOfRequest({ db }: Pick<RunnerWorld, "db">, { runbook, componentIds }: RunRequest): ComponentRow[] {
  const ids = [...new Set(componentIds)];
  if (ids.length === 0) throw new PersonError("Choose a component to run it on.");
  if (ids.length > MOST_TARGETS)
    throw new PersonError(`At most ${MOST_TARGETS} components at once; these are ${ids.length}.`);
  return ids.map((id) => {
    const target = componentById(db, id);
    if (!target || target.valid_to !== null) throw new PersonError("Choose a component to run it on.");
    if (!runbook.definition.kinds.some((pattern) => kindMatches(pattern, target.kind)))
      throw new PersonError(
        `“${runbook.name}” is for ${runbook.definition.kinds.join(", ")}; ${target.name} is ${target.kind}. Choose another target.`,
      );
    return target;
  });
}

/** What a runbook says must be true of its target before. */
function mustHold(world: Pick<RunnerWorld, "db" | "now" | "sampleWriter">, asked: RunRequest, target: ComponentRow) {
  const { before } = asked.runbook.definition;
  const silent = silentComponents(world.db);
  if (before.responds && [target.id, target.host_id].some((id) => id !== null && silent.has(id)))
    throw new PersonError(`${target.name} does not respond, and “${asked.runbook.name}” needs it to.`);
  if (before.wellSiblings > 0) {
    const well = standIns(world.db, target, world.now()).filter(
      (one) => !silent.has(one.id) && !silent.has(one.host_id ?? one.id),
    );
    if (well.length < before.wellSiblings)
      throw new PersonError(
        `${well.length} of those that stand in for ${target.name} respond; “${asked.runbook.name}” needs ${before.wellSiblings}.`,
      );
  }
  if (before.condition === "") return;
  const words = layWorld(world.db, [target.id], world.now()).wordsOf(target.id);
  let isSo: boolean;
  try {
    isSo = holds(
      before.condition,
      scopeOf({ world: world as RunnerWorld, target, words, taken: {}, args: asked.args }),
    );
  } catch (error) {
    throw new PersonError((error as Error).message);
  }
  if (!isSo)
    throw new PersonError(`${before.condition} does not hold of ${target.name}, as “${asked.runbook.name}” asks.`);
}
