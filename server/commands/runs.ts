import { z } from "zod";
import { ROLES, type RoleId } from "#core/people/rights";
import type { Principal } from "../people/principal";
import { PersonError, type Db } from "../store/database";
import { componentById } from "../store/estate";
import { runbookById, versionsOf, type RunbookRow } from "../store/runbooks";
import { laidSteps, runById, runningOn, stepsOfRun } from "../store/runs";
import { command } from "./command";
import type { CommandPorts } from "./ports";

const id = z.number().int().min(1);
const asked = z.strictObject({
  runbookId: id,
  /** A version that is not approved yet: for those who may write runbooks. */
  version: id.optional(),
  componentIds: z.array(id).min(1, "Choose a component to run it on.").max(1000),
  atOnce: z.number().int().min(1).max(50).default(1),
  failedPercent: z.number().min(0).max(100).default(0),
  incidentId: id.nullable(),
  args: z.record(z.string().max(80), z.string().max(400)),
});
type Asked = z.infer<typeof asked>;

const rank = (role: RoleId | null) => ROLES.findIndex((one) => one.id === role);

function chosen(db: Db, input: Asked): Pick<RunbookRow, "id" | "name" | "version" | "definition"> {
  const runbook = runbookById(db, input.runbookId);
  if (!runbook) throw new PersonError("That runbook does not exist.");
  if (input.version === undefined) {
    if (runbook.state === "retired") throw new PersonError(`“${runbook.name}” is retired and is not run any more.`);
    if (runbook.state !== "approved")
      throw new PersonError(`“${runbook.name}” is not approved yet. Whoever may write runbooks can try the draft.`);
    return runbook;
  }
  const version = versionsOf(db, runbook.id).find((one) => one.version === input.version);
  if (!version) throw new PersonError(`“${runbook.name}” has no version ${input.version}.`);
  return { id: runbook.id, name: version.definition.name, version: version.version, definition: version.definition };
}

/** A draft is tried by those who may write runbooks; what is approved is run by those who repair. */
const rightFor = (input: Asked, _who: Principal, { db }: CommandPorts) => {
  if (input.version === undefined) return "repair" as const;
  const version = versionsOf(db, input.runbookId).find((one) => one.version === input.version);
  return version?.state === "approved" ? ("repair" as const) : ("configure" as const);
};

const prepared = (ports: CommandPorts, input: Asked, who: Principal) =>
  ports.prepareRun({
    runbook: chosen(ports.db, input),
    componentIds: input.componentIds,
    atOnce: input.atOnce,
    failedPercent: input.failedPercent,
    incidentId: input.incidentId,
    policyId: null,
    args: input.args,
    by: who.name,
  });

const nameOf = ({ db }: CommandPorts, { runbookId, componentIds }: Asked) =>
  `“${runbookById(db, runbookId)?.name ?? runbookId}” on ${componentById(db, componentIds[0] ?? 0)?.name ?? "?"}${componentIds.length > 1 ? ` and ${componentIds.length - 1} more` : ""}`;

function mustBeRun(db: Db, one: number) {
  const run = runById(db, one);
  if (!run) throw new PersonError("That run does not exist.");
  return run;
}

export const runCommands = {
  "run.dry": command({
    right: rightFor,
    about: ({ componentIds }) => ({ type: "component", id: componentIds[0] ?? 0 }),
    input: asked,
    run: async (ports, input, who) => {
      const one = prepared(ports, input, who);
      return { steps: await ports.dryRun(one), rulings: one.rulings, held: one.held };
    },
    record: (input, _output, ports) => `Dry run of ${nameOf(ports, input)}`,
  }),
  "run.start": command({
    right: rightFor,
    about: ({ componentIds }) => ({ type: "component", id: componentIds[0] ?? 0 }),
    input: asked,
    run: (ports, input, who) => {
      const one = prepared(ports, input, who);
      // Of two people at once, the second is told.
      for (const { targetId } of one.run.laid) {
        const busy = runningOn(ports.db, targetId);
        if (busy === undefined) continue;
        const name = componentById(ports.db, targetId)?.name;
        throw new PersonError(`Run ${busy} is running on ${name}. Wait for its end, or stop it first.`);
      }
      return ports.runs.start(one.run);
    },
    record: (input, run, ports) => `Started run ${run ?? ""} of ${nameOf(ports, input)}`,
  }),
  "run.stop": command({
    right: "repair",
    about: ({ id: one }) => ({ type: "run", id: one }),
    input: z.strictObject({ id }),
    run: ({ db, runs }, input, who) => {
      mustBeRun(db, input.id);
      return runs.stop(input.id, who.name);
    },
    record: (input) => `Stopped run ${input.id}`,
  }),
  "run.answer": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "run", id: one }),
    input: z.strictObject({ id, position: z.number().int().min(0), approved: z.boolean() }),
    run: ({ db, runs }, input, who) => {
      const run = mustBeRun(db, input.id);
      const node = laidSteps(db, input.id).find((one) => one.position === input.position);
      const step = stepsOfRun(db, input.id).find((one) => one.position === input.position);
      if (node?.step.type !== "approve" || !step) throw new PersonError("That step asks nobody.");
      if (step.state !== "asking")
        throw new PersonError(
          step.answered_by
            ? `${step.answered_by} has answered already.`
            : "It does not ask any more: its time is over.",
        );
      if (who.name === run.started_by) throw new PersonError("Somebody else than who started the run approves it.");
      if (who.role !== null && rank(who.role) < rank(node.step.role))
        throw new PersonError(`This takes the role ${node.step.role} or higher.`);
      if (!runs.answer(input.id, input.position, who.name, input.approved))
        throw new PersonError("It does not ask any more: its time is over.");
    },
    record: (input) =>
      `${input.approved ? "Approved" : "Did not approve"} step ${input.position + 1} of run ${input.id}`,
  }),
  "run.rollback": command({
    right: "repair",
    about: ({ id: one }) => ({ type: "run", id: one }),
    input: z.strictObject({ id }),
    run: ({ db, runs }, input, who) => {
      const run = mustBeRun(db, input.id);
      const busy = runningOn(db, run.component_id);
      if (busy !== undefined) throw new PersonError(`Run ${busy} is running on ${run.component}. Wait for its end.`);
      if (!runs.rollBack(input.id, who.name)) throw new PersonError("There is nothing to take back.");
    },
    record: (input) => `Took run ${input.id} back`,
  }),
  "run.look": command({
    right: "repair",
    about: ({ id: one }) => ({ type: "run", id: one }),
    input: z.strictObject({ id, position: z.number().int().min(0) }),
    run: async ({ db, runs }, input) => {
      mustBeRun(db, input.id);
      const problem = await runs.look(input.id, input.position);
      if (problem !== undefined) throw new PersonError(problem);
    },
    record: (input) => `Looked at what step ${input.position + 1} of run ${input.id} did`,
  }),
};
