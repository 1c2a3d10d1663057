import { z } from "zod";
import { kindMatches } from "#core/catalogue/kinds";
import { checkArguments } from "#core/repair/runbook";
import { PersonError } from "../store/database";
import { componentById } from "../store/estate";
import { incidentById } from "../store/incidents";
import { runbookById, runById, runningOn } from "../store/runs";
import { command } from "./command";

const id = z.number().int().min(1);

export const runCommands = {
  "run.start": command({
    right: "repair",
    about: ({ componentId }) => ({ type: "component", id: componentId }),
    input: z.strictObject({
      runbookId: id,
      componentId: id,
      incidentId: id.nullable(),
      args: z.record(z.string().max(80), z.string().max(400)),
    }),
    run: ({ db, runs }, input, who) => {
      const runbook = runbookById(db, input.runbookId);
      if (!runbook) throw new PersonError("That runbook does not exist.");
      const target = componentById(db, input.componentId);
      if (!target) throw new PersonError("Choose a component to run it on.");
      if (!runbook.definition.kinds.some((pattern) => kindMatches(pattern, target.kind)))
        throw new PersonError(
          `“${runbook.name}” is for ${runbook.definition.kinds.join(", ")}; ${target.name} is ${target.kind}. Choose another target.`,
        );
      const problem = checkArguments(runbook.definition, input.args);
      if (problem) throw new PersonError(problem);
      const busy = runningOn(db, target.id);
      if (busy !== undefined)
        throw new PersonError(`Run ${busy} is running on ${target.name}. Wait for its end, or stop it first.`);
      if (input.incidentId !== null && !incidentById(db, input.incidentId))
        throw new PersonError("That incident does not exist.");
      return runs.start({ ...input, by: who.name, definition: runbook.definition });
    },
    record: (input, run, { db }) =>
      `Started run ${run ?? ""} of “${runbookById(db, input.runbookId)?.name ?? input.runbookId}” on ${componentById(db, input.componentId)?.name ?? input.componentId}`,
  }),
  "run.stop": command({
    right: "repair",
    about: ({ id: one }) => ({ type: "run", id: one }),
    input: z.strictObject({ id }),
    run: ({ db, runs }, input, who) => {
      if (!runById(db, input.id)) throw new PersonError("That run does not exist.");
      return runs.stop(input.id, who.name);
    },
    record: (input) => `Stopped run ${input.id}`,
  }),
};
