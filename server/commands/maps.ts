import { z } from "zod";
import { INSTALLATION } from "#core/people/rights";
import { PersonError } from "../store/database";
import { countSavedMaps, removeMap, savedMap, saveMap } from "../store/saved-maps";
import { command } from "./command";

const MOST_MAPS = 100;

/** Parameters of the map's address that a saved map keeps: all but the window and what happens to be beside it. */
const KEPT = [
  "service",
  "site",
  "collection",
  "around",
  "up",
  "down",
  "a",
  "b",
  "incident",
  "by",
  "open",
  "only",
  "figure",
  "find",
  "view",
];

function keptOf(query: string): string {
  const kept = new URLSearchParams();
  for (const [name, value] of new URLSearchParams(query)) if (KEPT.includes(name)) kept.append(name, value);
  return kept.toString();
}

export const mapCommands = {
  "map.save": command({
    right: "read",
    input: z.strictObject({
      name: z.string().trim().min(1, "Give the map a name.").max(60, "At most 60 characters."),
      query: z.string().max(4000, "Too many groups are open to keep this map. Close some."),
      shared: z.boolean(),
    }),
    about: () => INSTALLATION,
    run: ({ db, now }, { name, query, shared }, who) => {
      if (countSavedMaps(db, who.name) >= MOST_MAPS)
        throw new PersonError(`You keep ${MOST_MAPS} maps already. Remove one first.`);
      saveMap(db, { name, query: keptOf(query), madeBy: who.name, shared }, now());
    },
    record: ({ name, shared }) => `Saved map ${name}${shared ? " for everybody" : ""}`,
  }),
  "map.remove": command({
    right: "read",
    input: z.strictObject({ id: z.int().min(1) }),
    about: () => INSTALLATION,
    run: ({ db }, { id }, who) => {
      const map = savedMap(db, id);
      if (!map || (map.madeBy !== who.name && !map.shared)) throw new PersonError("That map is not there any more.");
      if (map.madeBy !== who.name && !who.rights.includes("configure"))
        throw new PersonError(`This map is ${map.madeBy}'s; only they or an operator can remove it.`);
      removeMap(db, id);
      return map.name;
    },
    record: (_input, name) => `Removed map ${name}`,
  }),
};
