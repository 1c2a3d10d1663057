import { z } from "zod";
import { labelProblem, LABELS, type Effect, type LabelName } from "#core/estate/labels";
import { INSTALLATION } from "#core/people/rights";
import { insertChange } from "../store/changes";
import { PersonError } from "../store/database";
import { componentsById } from "../store/estate";
import { collections, putLabel, removeCollection, saveCollection, setEffects, takeLabel } from "../store/labels";
import { command } from "./command";

const MOST_AT_ONCE = 20_000;
const MOST_COLLECTIONS = 200;
const MOST_EFFECTS = 20;
const GOES_BY_HEALTH = /(^|&)health=/;
const NOT_BY_HEALTH = "A collection that goes by health changes all the time: it cannot put labels on or end watching.";

/** Refuses filters that nothing may follow from: of everything, or of what changes all the time. */
function checkNarrow(filter: string): void {
  if (GOES_BY_HEALTH.test(filter)) throw new PersonError(NOT_BY_HEALTH);
  if (!/(^|&)(q|kind|site|label|fact)=/.test(filter))
    throw new PersonError("This collection is of everything. Narrow its filter first.");
}

/** Two labels of one sort cannot both be put on, but of tags. */
const sameEffect = (a: Effect, b: Effect): boolean =>
  a.what === "label" && b.what === "label"
    ? a.name === b.name && (a.name !== "tag" || a.value === b.value)
    : a.what === b.what;

const effectInWords = (effect: Effect, on: boolean): string =>
  effect.what === "unwatched"
    ? on
      ? "is not watched"
      : "is watched again"
    : `${on ? "gets" : "does not get"} ${effect.name} ${effect.value}${on ? "" : " any more"}`;

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
    run: ({ db, now, onCollections }, { ids, name, value, on }, who) => {
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
      onCollections();
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
    run: ({ db, now, onCollections }, { name, filter }, who) => {
      if (collections(db).length >= MOST_COLLECTIONS)
        throw new PersonError(`There are ${MOST_COLLECTIONS} collections already. Remove one first.`);
      const before = collections(db).find((one) => one.name === name);
      if (before?.effects.length) checkNarrow(filter);
      saveCollection(db, name, filter, who.name, now());
      onCollections();
    },
    record: ({ name }) => `Kept collection ${name}`,
  }),
  "collection.effect": command({
    right: "configure",
    input: z.strictObject({
      id: z.int().min(1),
      on: z.boolean(),
      effect: z.discriminatedUnion("what", [
        z.strictObject({ what: z.literal("unwatched") }),
        z.strictObject({
          what: z.literal("label"),
          name: labelName,
          value: z.string().trim().min(1, "Say what the label says.").max(400, "At most 400 characters."),
        }),
      ]),
    }),
    about: () => INSTALLATION,
    run: ({ db, now, onCollections }, { id, on, effect: given }, who) => {
      const effect = given as Effect;
      const known = collections(db).find((one) => one.id === id);
      if (!known) throw new PersonError("That collection is not there any more.");
      if (on) checkNarrow(known.filter);
      if (effect.what === "label") {
        const problem = labelProblem(effect);
        if (problem !== undefined) throw new PersonError(problem, { value: problem });
        if (on && new URLSearchParams(known.filter).get("label") === `${effect.name}:${effect.value}`)
          throw new PersonError("The collection is of what has this label already.");
      }
      const others = known.effects.filter((one) => !sameEffect(one, effect));
      if (on && others.length >= MOST_EFFECTS)
        throw new PersonError(`A collection does at most ${MOST_EFFECTS} things.`);
      setEffects(db, id, on ? [...others, effect] : others);
      insertChange(db, {
        atMs: now(),
        kind: "setting",
        componentId: null,
        summary: `What belongs to ${known.name} ${effectInWords(effect, on)}`,
        by: who.name,
      });
      onCollections();
      return known.name;
    },
    record: ({ effect, on }, name) =>
      `What belongs to ${name ?? "a collection"} ${effectInWords(effect as Effect, on)}`,
  }),
  "collection.remove": command({
    right: "configure",
    input: z.strictObject({ id: z.int().min(1) }),
    about: () => INSTALLATION,
    run: ({ db, onCollections }, { id }) => {
      const name = removeCollection(db, id);
      if (name === undefined) throw new PersonError("That collection is not there any more.");
      onCollections();
      return name;
    },
    record: (_input, name) => `Removed collection ${name ?? ""}`.trim(),
  }),
};
