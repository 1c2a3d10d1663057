import { z } from "zod";
import { INSTALLATION } from "#core/people/rights";
import { LEVEL_IDS, policySchema } from "#core/repair/policy";
import { PersonError, type Db } from "../store/database";
import { policyById, policyNamed, readHalt, removePolicy, savePolicy, writeHalt } from "../store/policies";
import { runbookByUid } from "../store/runbooks";
import { command } from "./command";

const id = z.number().int().min(1);

function mustExist(db: Db, one: number) {
  const policy = policyById(db, one);
  if (!policy) throw new PersonError("That policy does not exist.");
  return policy;
}

const stepsUp = (from: string, to: string) =>
  LEVEL_IDS.indexOf(to as (typeof LEVEL_IDS)[number]) - LEVEL_IDS.indexOf(from as (typeof LEVEL_IDS)[number]);

/** Policies and the halt of everything automatic. */
export const policyCommands = {
  "policy.save": command({
    right: "configure",
    about: ({ id: one }) => ({ type: "policy", ...(one === undefined ? {} : { id: one }) }),
    input: policySchema.extend({ id: id.optional() }),
    state: ({ db }, { id: one }, output) => {
      const of = typeof output === "number" ? output : one;
      return of === undefined ? undefined : policyById(db, of)?.definition;
    },
    run: ({ db, now }, { id: one, ...definition }, who) => {
      const known = one === undefined ? undefined : mustExist(db, one);
      const named = policyNamed(db, definition.name);
      if (named && named.id !== one)
        throw new PersonError(`There is a policy “${definition.name}” already.`, { name: "Choose another name." });
      const runbook = runbookByUid(db, definition.runbook);
      if (!runbook || runbook.state === "retired")
        throw new PersonError("Choose a runbook that is there.", { runbook: "Choose a runbook." });
      for (const parameter of runbook.definition.parameters)
        if (!(definition.args[parameter.name] ?? "").trim())
          throw new PersonError(`Say what ${parameter.label} is filled with.`, {
            [`args.${parameter.name}`]: "Say what it is filled with.",
          });
      if (definition.by === "alarm" && definition.alarms.length === 0)
        throw new PersonError("Say for which alarm it is.", { alarms: "Say for which alarm it is." });
      const up = stepsUp(known?.definition.level ?? "watch", definition.level);
      if (up > 1)
        throw new PersonError(
          `Trust grows a step at a time: from ${known?.definition.level ?? "watch"} to ${LEVEL_IDS[LEVEL_IDS.indexOf(known?.definition.level ?? "watch") + 1]} first.`,
          { level: "A step at a time." },
        );
      return savePolicy(db, one, definition, who.name, now());
    },
    record: (input) => `${input.id === undefined ? "Added" : "Changed"} the policy “${input.name}” (${input.level})`,
  }),
  "policy.remove": command({
    right: "configure",
    about: ({ id: one }) => ({ type: "policy", id: one }),
    input: z.strictObject({ id }),
    state: ({ db }, { id: one }) => policyById(db, one)?.definition,
    run: ({ db }, input) => {
      mustExist(db, input.id);
      removePolicy(db, input.id);
    },
    record: (input) => `Removed policy ${input.id}`,
  }),
  "repair.halt": command({
    right: "respond",
    about: () => INSTALLATION,
    input: z.strictObject({ why: z.string().trim().max(300).default("") }),
    run: ({ db, now, emit }, input, who) => {
      if (readHalt(db)) throw new PersonError("Automatic acts are stopped already.");
      writeHalt(db, { by: who.name, atMs: now(), why: input.why });
      emit({ topic: "estate", atMs: now() });
    },
    record: (input) => `Stopped all automatic acts${input.why ? `: ${input.why}` : ""}`,
  }),
  "repair.resume": command({
    right: "configure",
    about: () => INSTALLATION,
    input: z.strictObject({}),
    run: ({ db, now, emit }) => {
      if (!readHalt(db)) throw new PersonError("Automatic acts are not stopped.");
      writeHalt(db, null);
      emit({ topic: "estate", atMs: now() });
    },
    record: () => "Let automatic acts go on",
  }),
};
