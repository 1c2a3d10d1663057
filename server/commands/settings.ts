import { z } from "zod";
import { readRule } from "#core/detection/rule";
import { ruleById, ruleNamed, saveRule } from "../store/alarms";
import { insertChange } from "../store/changes";
import { PersonError } from "../store/database";
import { removeQuery, savedQueries, saveQuery } from "../store/saved-queries";
import { INSTALLATION } from "#core/people/rights";
import { command } from "./command";

const id = z.number().int().min(1);
/** Rules and saved queries. */
export const settingCommands = {
  "rule.save": command({
    right: "configure",
    input: z.strictObject({ id: id.optional(), fields: z.record(z.string(), z.unknown()) }),
    run: ({ db, now, onRules }, input, who) => {
      const read = readRule(input.fields);
      if (!read.ok)
        throw new PersonError(Object.values(read.fields)[0] ?? "Something in the rule is not right.", read.fields);
      const { rule } = read;
      if (input.id !== undefined && !ruleById(db, input.id)) throw new PersonError("That rule does not exist.");
      const twin = ruleNamed(db, rule.name);
      if (twin && twin.id !== input.id)
        throw new PersonError(`There is a rule called “${rule.name}” already. Choose another name, or edit that one.`);
      const saved = db.transaction(() => {
        const verb = input.id === undefined ? "added" : "changed";
        insertChange(db, {
          atMs: now(),
          kind: "setting",
          componentId: null,
          summary: `Rule “${rule.name}” was ${verb}`,
          by: who.name,
        });
        return saveRule(db, input.id, rule);
      })();
      onRules();
      return saved;
    },
    about: ({ id: one }, saved) => ({ type: "rule", id: one ?? saved ?? 0 }),
    state: ({ db }, { id: one }, saved) => (one ?? saved) && ruleById(db, (one ?? saved) as number),
    record: (input) => `${input.id === undefined ? "Added" : "Changed"} rule “${String(input.fields.name)}”`,
  }),
  "query.save": command({
    right: "respond",
    about: () => INSTALLATION,
    input: z.strictObject({
      name: z.string().trim().min(1, "Give the query a name.").max(80),
      sql: z.string().trim().min(1).max(10_000),
    }),
    run: ({ db, now }, input, who) => saveQuery(db, input.name, input.sql, who.name, now()),
    record: (input) => `Saved query “${input.name}”`,
  }),
  "query.remove": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "query", id: one }),
    input: z.strictObject({ id }),
    run: ({ db }, input) => {
      const name = savedQueries(db).find((one) => one.id === input.id)?.name;
      if (!name) throw new PersonError("That query is not there any more.");
      removeQuery(db, input.id);
      return name;
    },
    record: (input, name) => `Removed query “${name ?? input.id}”`,
  }),
};
