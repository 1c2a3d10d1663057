import { z } from "zod";
import { labelProblem, LABELS, type LabelName } from "#core/estate/labels";
import { INSTALLATION } from "#core/people/rights";
import { insertChange } from "../store/changes";
import { PersonError } from "../store/database";
import { componentsById } from "../store/estate";
import { collections, putLabel, removeCollection, saveCollection, takeLabel } from "../store/labels";
import { command } from "./command";

const MOST_AT_ONCE = 20_000;
const MOST_COLLECTIONS = 200;

const labelName = z.string().refine((text) => (LABELS as readonly string[]).includes(text), "There is no such label.");

export const labelCommands = {
  "label.set": command({
    right: "configure",
    input: z.strictObject({
      ids: z.array(z.int().min(1)).min(1, "Choose at least one component.").max(MOST_AT_ONCE),
      name: labelName,
      value: z.string().trim().max(400, "At most 400 characters."),
      /** Puts it on, or takes it off; an empty value takes off whatever there is. */
      on: z.boolean(),
    }),
    about: () => INSTALLATION,
    run: ({ db, now }, { ids, name, value, on }, who) => {
      if (on && !value) throw new PersonError(`Say which ${name}.`, { value: `Say which ${name}.` });
      const problem = labelProblem({ name: name as LabelName, value });
      if (problem !== undefined) throw new PersonError(problem, { value: problem });
      const present = componentsById(db, ids).map((one) => one.id);
      if (!present.length) throw new PersonError("None of these components is there any more.");
      const [only] = present.length === 1 ? present : [];
      db.transaction(() => {
        if (on) putLabel(db, present, name as LabelName, value, who.name, now());
        else takeLabel(db, present, name as LabelName, value, now());
        insertChange(db, {
          atMs: now(),
          kind: "setting",
          componentId: only ?? null,
          summary: `${present.length === 1 ? "A component has" : `${present.length} components have`} ${on ? `${name} ${value}` : `no ${name}${value ? ` ${value}` : ""}`} now`,
          by: who.name,
        });
      })();
      return present.length;
    },
    record: ({ name, value, on }, count) =>
      `${on ? "Put" : "Took"} ${name} ${value} ${on ? "on" : "off"} ${count ?? 0} components`,
  }),
  "collection.save": command({
    right: "configure",
    input: z.strictObject({
      name: z.string().trim().min(1, "Give the collection a name.").max(60, "At most 60 characters."),
      filter: z.string().min(1, "Narrow the list first; a collection is what fits a filter.").max(500),
    }),
    about: () => INSTALLATION,
    run: ({ db, now }, { name, filter }, who) => {
      if (collections(db).length >= MOST_COLLECTIONS)
        throw new PersonError(`There are ${MOST_COLLECTIONS} collections already. Remove one first.`);
      saveCollection(db, name, filter, who.name, now());
    },
    record: ({ name }) => `Kept collection ${name}`,
  }),
  "collection.remove": command({
    right: "configure",
    input: z.strictObject({ id: z.int().min(1) }),
    about: () => INSTALLATION,
    run: ({ db }, { id }) => {
      const name = removeCollection(db, id);
      if (name === undefined) throw new PersonError("That collection is not there any more.");
      return name;
    },
    record: (_input, name) => `Removed collection ${name ?? ""}`.trim(),
  }),
};
