import { z } from "zod";
import { ROLES, type RoleId } from "#core/people/rights";
import { choreLevelAfter, choreProblems, choreSchema, choreStepsUp } from "#core/repair/chore";
import { nextDue } from "#core/repair/triggers/registry";
import { choreById, choreNamed, removeChore, roundById, saveChore } from "../store/chores";
import { PersonError, type Db } from "../store/database";
import { collections } from "../store/labels";
import { runbookByUid } from "../store/runbooks";
import { command } from "./command";

const id = z.number().int().min(1);
const rank = (role: RoleId | null) => ROLES.findIndex((one) => one.id === role);

function mustExist(db: Db, one: number) {
  const chore = choreById(db, one);
  if (!chore) throw new PersonError("That chore does not exist.");
  return chore;
}

const nameOf = (db: Db, one: number) => `“${choreById(db, one)?.definition.name ?? one}”`;

/** Upkeep of the estate. */
export const choreCommands = {
  "chore.save": command({
    right: "configure",
    about: ({ id: one }) => ({ type: "chore", ...(one === undefined ? {} : { id: one }) }),
    input: choreSchema.extend({ id: id.optional() }),
    state: ({ db }, { id: one }, output) => {
      const of = typeof output === "number" ? output : one;
      return of === undefined ? undefined : choreById(db, of)?.definition;
    },
    run: ({ db, now, onRules }, { id: one, ...definition }, who) => {
      const known = one === undefined ? undefined : mustExist(db, one);
      const named = choreNamed(db, definition.name);
      if (named && named.id !== one)
        throw new PersonError(`There is a chore “${definition.name}” already.`, { name: "Choose another name." });
      const runbook = runbookByUid(db, definition.runbook);
      if (!runbook || runbook.state === "retired")
        throw new PersonError("Choose a runbook that is there.", { runbook: "Choose a runbook." });
      const problems = choreProblems(definition, runbook.definition.parameters);
      const [first] = Object.values(problems);
      if (first !== undefined) throw new PersonError(first, problems);
      if (definition.collection !== "" && !collections(db).some((other) => other.name === definition.collection))
        throw new PersonError(`There is no collection “${definition.collection}”.`, { collection: "Choose another." });
      const from = known?.definition.level ?? "watch";
      if (choreStepsUp(from, definition.level) > 1)
        throw new PersonError(`Trust grows a step at a time: from ${from} to ${choreLevelAfter(from)} first.`, {
          level: "A step at a time.",
        });
      const saved = saveChore(db, one, definition, {
        by: who.name,
        atMs: now(),
        nextMs: nextDue(definition.trigger, now()),
      });
      // What a chore of another name, or one that is off now, said stands no longer.
      onRules();
      return saved;
    },
    record: (input) => `${input.id === undefined ? "Added" : "Changed"} the chore “${input.name}” (${input.level})`,
  }),
  "chore.remove": command({
    right: "configure",
    about: ({ id: one }) => ({ type: "chore", id: one }),
    input: z.strictObject({ id }),
    state: ({ db }, { id: one }) => choreById(db, one)?.definition,
    run: ({ db, onRules }, input) => {
      mustExist(db, input.id);
      removeChore(db, input.id);
      onRules();
    },
    record: (input) => `Removed chore ${input.id}`,
  }),
  "chore.begin": command({
    right: "repair",
    about: ({ id: one }) => ({ type: "chore", id: one }),
    input: z.strictObject({ id }),
    run: ({ chores }, input, who) => chores.begin(input.id, who.name),
    record: (input, _output, { db }) => `Began a round of the chore ${nameOf(db, input.id)}`,
  }),
  "chore.answer": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "chore", id: one }),
    input: z.strictObject({ id, round: id, approved: z.boolean() }),
    run: ({ db, chores }, input, who) => {
      const chore = mustExist(db, input.id);
      const round = roundById(db, input.round);
      if (round?.chore_id !== chore.id) throw new PersonError("That round does not exist.");
      if (who.role !== null && rank(who.role) < rank(chore.definition.approver))
        throw new PersonError(`This takes the role ${chore.definition.approver} or higher.`);
      if (round.begun_by === who.name) throw new PersonError("Somebody else than who began the round approves it.");
      chores.answer(input.round, who.name, input.approved);
    },
    record: (input, _output, { db }) =>
      `${input.approved ? "Approved" : "Declined"} a round of the chore ${nameOf(db, input.id)}`,
  }),
};
