import { kindMatches } from "#core/catalogue/kinds";
import { isHeld } from "#core/repair/guardrails";
import { STEP_KINDS } from "#core/repair/steps/registry";
import { differenceOf, readRunbook, runbookText, type TextProblem } from "#core/repair/text";
import type { Db } from "../store/database";
import { componentById, currentComponents } from "../store/estate";
import { incidentById } from "../store/incidents";
import { restOfOutput } from "../store/run-outputs";
import { listRunbooks, runbookById, versionsOf } from "../store/runbooks";
import { choreById, openRounds } from "../store/chores";
import {
  askingRuns,
  laidSteps,
  listRuns,
  rulingsOf,
  runById,
  runsOfRunbook,
  stepsOfRun,
  type RunRow,
} from "../store/runs";

const MOST_RUNS = 100;
const COUNTED_RUNS = 2000;

/** How runs of a runbook went: counted, not guessed. */
export interface RunFigures {
  runs: number;
  byPolicy: number;
  /** Of those whose figures were watched to the end. */
  watched: number;
  proved: number;
  failed: number;
  /** Median from the beginning of the run to its proof, in milliseconds. */
  toProofMs: number | null;
  /** Median from the opening of the incident to the proof, by hand and by policy. */
  byHandMs: number | null;
  byPolicyMs: number | null;
  /** How much sooner than by hand, added up over what policies repaired; null where nobody did it by hand yet. */
  savedMs: number | null;
}

const median = (values: readonly number[]): number | null =>
  [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? null;

/** From the opening of an incident to the proof of the run that repaired it. */
const repairMs = (run: RunRow): number[] =>
  run.incident_at === null || run.proof_at === null ? [] : [run.proof_at - run.incident_at];

export function figuresOf(runs: readonly RunRow[]): RunFigures {
  const watched = runs.filter((run) => run.proof !== null && run.proof !== "watching" && run.proof !== "not measured");
  const proved = watched.filter((run) => run.proof === "proved");
  const byHand = proved.filter((run) => run.policy_id === null).flatMap(repairMs);
  const byPolicy = proved.filter((run) => run.policy_id !== null).flatMap(repairMs);
  const byHandMs = median(byHand);
  return {
    runs: runs.length,
    byPolicy: runs.filter((run) => run.policy_id !== null).length,
    watched: watched.length,
    proved: proved.length,
    failed: runs.filter((run) => run.state === "failed").length,
    toProofMs: median(proved.map((run) => (run.proof_at ?? run.started_at) - run.started_at)),
    byHandMs,
    byPolicyMs: median(byPolicy),
    savedMs:
      byHandMs === null || byPolicy.length === 0
        ? null
        : byPolicy.reduce((sum, own) => sum + Math.max(0, byHandMs - own), 0),
  };
}

export function runbooksPage(db: Db, { atMs }: { atMs: number }) {
  return {
    runbooks: listRunbooks(db).map((runbook) => {
      const newest = versionsOf(db, runbook.id)[0];
      return {
        id: runbook.id,
        uid: runbook.uid,
        name: runbook.name,
        purpose: runbook.definition.purpose,
        kinds: runbook.definition.kinds,
        steps: runbook.definition.steps.length,
        state: runbook.state,
        version: runbook.version,
        /** A newer version that nobody approved yet. */
        draft: newest && newest.version > runbook.version ? newest.version : null,
        figures: figuresOf(runsOfRunbook(db, runbook.id, COUNTED_RUNS)),
      };
    }),
    runs: listRuns(db, MOST_RUNS, atMs),
    asking: {
      runs: askingRuns(db).map(({ id, runbook, component, started_by: by }) => ({ id, runbook, component, by })),
      chores: openRounds(db)
        .filter((one) => one.state === "asking")
        .map((one) => ({ id: one.chore_id, name: choreById(db, one.chore_id)?.definition.name ?? "" })),
    },
  };
}

/** A runbook with its versions, the components it can be run on and how its runs went. */
export function runbookPage(db: Db, { id, version }: { id: number; version?: number | undefined }) {
  const runbook = runbookById(db, id);
  if (!runbook) return null;
  const versions = versionsOf(db, id);
  const shown = versions.find((one) => one.version === (version ?? runbook.version));
  if (!shown) return null;
  const targets = currentComponents(db)
    .filter((row) => shown.definition.kinds.some((pattern) => kindMatches(pattern, row.kind)))
    .map((row) => ({ id: row.id, name: row.name, address: row.address, kind: row.kind }))
    .sort((a, b) => a.name.localeCompare(b.name));
  const runs = runsOfRunbook(db, id, COUNTED_RUNS);
  return {
    runbook: { ...runbook, definition: shown.definition, name: shown.definition.name },
    shown: { version: shown.version, state: shown.state, madeBy: shown.made_by },
    text: runbookText(shown.definition),
    versions: versions.map(({ definition, ...one }, index) => {
      const before = versions[index + 1];
      return { ...one, difference: before ? differenceOf(before.definition, definition) : [] };
    }),
    targets,
    figures: figuresOf(runs),
    runs: runs.slice(0, 10),
  };
}

const EXAMPLE = `uid: my-runbook
name: Restart it gently
purpose: Says what it is for, in a sentence.
kinds:
  - host.linux
parameters:
  - name: process
    label: Process
    pattern: "[a-z][a-z0-9-]{0,40}"
steps:
  - type: command
    title: Restart it
    argv: [service, "{{process}}", restart]
    timeoutSeconds: 60
`;

/** What the editor begins with. */
export function runbookEditorPage(db: Db, { id }: { id: number | null }) {
  const runbook = id === null ? undefined : runbookById(db, id);
  if (id !== null && !runbook) return null;
  const newest = runbook && versionsOf(db, runbook.id)[0];
  return {
    id,
    name: newest?.definition.name ?? null,
    version: newest?.version ?? null,
    text: newest ? runbookText(newest.definition) : EXAMPLE,
    kinds: STEP_KINDS.map(({ type, label, about }) => ({ type, label, about })),
    others: listRunbooks(db)
      .filter((one) => one.state === "approved" && one.id !== id)
      .map(({ uid, name }) => ({ uid, name })),
  };
}

/** What a text that is being written comes to: its steps, or what is wrong with it, line by line. */
export function runbookRead(
  _db: Db,
  { text }: { text: string },
): { ok: true } | { ok: false; problems: TextProblem[] } {
  const read = readRunbook(text);
  return read.ok ? { ok: true } : { ok: false, problems: read.problems };
}

export function runPage(db: Db, { id }: { id: number }) {
  const run = runById(db, id);
  if (!run) return null;
  const rulings = rulingsOf(db, id);
  const laid = new Map(laidSteps(db, id).map((one) => [one.position, one.step]));
  return {
    run: { ...run, args: JSON.parse(run.args) as Record<string, string> },
    steps: stepsOfRun(db, id).map((step) => {
      const full = laid.get(step.position);
      return {
        ...step,
        canLook: full?.type === "command" && full.look !== undefined && step.state === "unknown",
        role: full?.type === "approve" ? full.role : null,
      };
    }),
    rulings,
    wasWarned: isHeld(rulings),
    canBeTakenBack:
      run.state !== "running" &&
      run.rollback === null &&
      stepsOfRun(db, id).some((step) => {
        const full = laid.get(step.position);
        return step.state === "passed" && full !== undefined && "undo" in full && full.undo !== undefined;
      }),
    target: componentById(db, run.component_id),
    incident: run.incident_id === null ? null : (incidentById(db, run.incident_id) ?? null),
  };
}

/** All that a step printed; null where there is no such step. */
export function runOutput(db: Db, { id, position }: { id: number; position: number }): string | null {
  const step = stepsOfRun(db, id).find((one) => one.position === position);
  return step ? step.output + restOfOutput(db, id, position) : null;
}
