import { z } from "zod";
import { calendarProblem, namesInCalendar } from "#core/telling/calendar";
import { rotationSchema } from "#core/telling/rotation";
import { DAY_MS } from "#core/time/windows";
import { contactsByAccount } from "../store/contacts";
import { PersonError } from "../store/database";
import { accountById, listAccounts } from "../store/people";
import {
  addOverride,
  listRotations,
  overrideById,
  removeOverride,
  removeRotation,
  rotationById,
  saveRotation,
} from "../store/rotations";
import { listTellingRules } from "../store/telling";
import { personFinder } from "../telling/directory";
import { command } from "./command";

const id = z.number().int().min(1);
const LONGEST_MS = 60 * DAY_MS;

/** Rotations, and who takes over for a while. */
export const onCallCommands = {
  "rotation.save": command({
    right: "configure",
    input: z.strictObject({
      id: id.optional(),
      name: z.string().trim().min(1, "Give the rotation a name.").max(60),
      plan: rotationSchema,
    }),
    run: ({ db, now }, { id: one, name, plan }, who) => {
      if (one !== undefined && !rotationById(db, one)) throw new PersonError("That rotation does not exist.");
      const twin = listRotations(db).find((other) => other.name === name);
      if (twin && twin.id !== one)
        throw new PersonError(`There is a rotation called “${name}” already.`, { name: "This name is taken." });
      const personOf = personFinder(
        listAccounts(db).filter((account) => account.closedAt === null),
        contactsByAccount(db),
      );
      plan.layers.forEach((layer, index) => {
        const refuse = (problem: string) =>
          new PersonError(`${layer.name}: ${problem}`, { [`layers.${index}`]: problem });
        if (layer.kind === "turns") {
          if (layer.people.some((person) => accountById(db, person)?.closedAt !== null))
            throw refuse("Somebody who takes turns has no account any more. Choose again.");
          return;
        }
        const problem = calendarProblem(layer.text);
        if (problem) throw refuse(problem);
        const stranger = namesInCalendar(layer.text).find((called) => personOf(called) === undefined);
        if (stranger !== undefined)
          throw refuse(`The calendar names “${stranger.slice(0, 60)}”, and nobody here has that name or mail address.`);
      });
      return saveRotation(db, one, { name, plan }, who.name, now());
    },
    about: ({ id: one }, saved) => ({ type: "rotation", id: one ?? saved ?? 0 }),
    state: ({ db }, { id: one }, saved) => (one ?? saved) && rotationById(db, (one ?? saved) as number),
    record: ({ id: one, name }) => `${one === undefined ? "Added" : "Changed"} rotation “${name}”`,
  }),
  "rotation.remove": command({
    right: "configure",
    input: z.strictObject({ id }),
    about: ({ id: one }) => ({ type: "rotation", id: one }),
    state: ({ db }, { id: one }) => rotationById(db, one),
    run: ({ db }, input) => {
      const rotation = rotationById(db, input.id);
      if (!rotation) throw new PersonError("That rotation does not exist.");
      const user = listTellingRules(db).find((rule) =>
        [...rule.to, ...rule.escalation.flatMap((step) => step.to)].some(
          (one) => one.kind === "rotation" && one.id === input.id,
        ),
      );
      if (user) throw new PersonError(`The rule “${user.name}” tells this rotation. Take it out there first.`);
      removeRotation(db, input.id);
      return rotation.name;
    },
    record: (input, removed) => `Removed rotation “${removed ?? input.id}”`,
  }),
  "override.add": command({
    right: "respond",
    input: z.strictObject({
      rotationId: id,
      person: id,
      fromMs: z.number("Say from when.").int(),
      toMs: z.number("Say until when.").int(),
      remark: z.string().trim().max(200).default(""),
    }),
    about: ({ rotationId }) => ({ type: "rotation", id: rotationId }),
    run: ({ db, now }, input, who) => {
      const rotation = rotationById(db, input.rotationId);
      if (!rotation) throw new PersonError("That rotation does not exist.");
      const person = accountById(db, input.person);
      if (!person || person.closedAt !== null)
        throw new PersonError("Nobody here has that account.", { person: "Choose somebody." });
      if (input.toMs <= input.fromMs)
        throw new PersonError("It has to end after it begins.", { to: "Later than the beginning." });
      if (input.toMs <= now()) throw new PersonError("It would be over already.", { to: "Later than now." });
      if (input.toMs - input.fromMs > LONGEST_MS)
        throw new PersonError("Nobody takes over for more than 60 days: change the rotation instead.", {
          to: "60 days at most.",
        });
      addOverride(db, { ...input, madeBy: who.name }, now());
      return { rotation: rotation.name, person: person.name };
    },
    record: (input, done) =>
      `${done?.person ?? input.person} takes over in rotation “${done?.rotation ?? input.rotationId}”`,
  }),
  "override.remove": command({
    right: "respond",
    input: z.strictObject({ id }),
    about: ({ id: one }) => ({ type: "override", id: one }),
    run: ({ db }, input) => {
      if (!overrideById(db, input.id)) throw new PersonError("That is not there any more.");
      removeOverride(db, input.id);
    },
    record: (input) => `Took override ${input.id} back`,
  }),
};
