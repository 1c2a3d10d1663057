import { z } from "zod";
import { componentById } from "../store/estate";
import { keysOf } from "../store/keys";
import { command } from "./command";

const id = z.int().min(1);
const key = z.string().min(1).max(400);

export const identityCommands = {
  "component.join": command({
    right: "configure",
    input: z.strictObject({ id: z.int("Choose a component."), into: id }),
    about: ({ into }) => ({ type: "component", id: into }),
    state: ({ db }, { into }) => ({ component: componentById(db, into), keys: keysOf(db, into) }),
    run: ({ db, identity }, input, who) => {
      const name = componentById(db, input.id)?.name ?? "";
      identity.join(input.id, input.into, who.name);
      return name;
    },
    record: ({ into }, name, { db }) => `Joined ${name ?? "a component"} with ${componentById(db, into)?.name ?? into}`,
  }),
  "component.split": command({
    right: "configure",
    input: z.strictObject({
      id,
      keys: z.array(key).min(1, "Choose what the other one is known by.").max(500),
      name: z.string().trim().max(120, "At most 120 characters."),
    }),
    about: ({ id: one }) => ({ type: "component", id: one }),
    state: ({ db }, { id: one }) => ({ component: componentById(db, one), keys: keysOf(db, one) }),
    run: ({ identity }, { id: from, keys, name }, who) => identity.split(from, keys, name, who.name),
    record: ({ id: one }, made, { db }) =>
      `Split ${made === undefined ? "a component" : (componentById(db, made)?.name ?? made)} off from ${componentById(db, one)?.name ?? one}`,
  }),
  "component.pin": command({
    right: "configure",
    input: z.strictObject({ id, key, on: z.boolean() }),
    about: ({ id: one }) => ({ type: "component", id: one }),
    run: ({ identity }, { id: one, key: value, on }, who) => identity.pin(one, value, on, who.name),
    record: ({ id: one, key: value, on }, _output, { db }) =>
      `${on ? "Pinned" : "Unpinned"} ${value} of ${componentById(db, one)?.name ?? one}`,
  }),
};
