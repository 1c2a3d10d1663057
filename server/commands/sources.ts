import { z } from "zod";
import { INSTALLATION } from "#core/people/rights";
import { PersonError } from "../store/database";
import { sourceById, sweepById } from "../store/sources";
import { readSource } from "../sources/input";
import { command } from "./command";

const id = z.number().int().min(1);

/** A source by the flat fields of a form; what is wrong with them is said field by field before. */
const fields = z.record(z.string(), z.unknown());

function sourceFrom(given: Record<string, unknown>) {
  const read = readSource(given);
  if (!read.ok)
    throw new PersonError(Object.values(read.fields)[0] ?? "Something about the source is not right.", read.fields);
  return read.source;
}

export const sourceCommands = {
  "source.save": command({
    right: "configure",
    input: z.strictObject({ id: id.optional(), fields }),
    run: ({ sources }, input, who) => sources.saveSource(input.id, sourceFrom(input.fields), who.name),
    about: ({ id: one }, saved) => ({ type: "source", id: one ?? saved ?? 0 }),
    state: ({ db }, { id: one }, saved) => sourceById(db, one ?? saved ?? 0),
    record: (input) => `${input.id === undefined ? "Added" : "Changed"} source ${String(input.fields.name)}`,
  }),
  "source.remove": command({
    right: "configure",
    input: z.strictObject({ id }),
    run: ({ sources }, input, who) => sources.removeSource(input.id, who.name),
    about: ({ id: one }) => ({ type: "source", id: one }),
    state: ({ db }, { id: one }) => sourceById(db, one),
    record: (_input, name) => `Removed source ${name ?? ""}`.trim(),
  }),
  "source.check": command({
    right: "configure",
    about: ({ id: one }) => (one === undefined ? INSTALLATION : { type: "source", id: one }),
    input: z.strictObject({ id: id.optional(), fields }),
    run: ({ sources }, input) => sources.check(input.id, sourceFrom(input.fields)),
    record: (input) => `Tested source ${String(input.fields.name)}`,
  }),
  "sweep.start": command({
    right: "configure",
    about: ({ sourceId }) => ({ type: "source", id: sourceId }),
    input: z.strictObject({ sourceId: id, wait: z.boolean().default(false) }),
    run: ({ sources }, input, who) => sources.start(input.sourceId, who.name, input.wait),
    record: (input, sweep, { db }) =>
      `Started sweep ${sweep ?? ""} of ${sourceById(db, input.sourceId)?.name ?? `source ${input.sourceId}`}`,
  }),
  "sweep.stop": command({
    right: "configure",
    about: ({ id: one }) => ({ type: "sweep", id: one }),
    input: z.strictObject({ id }),
    run: ({ sources, db }, input, who) => {
      if (!sweepById(db, input.id)) throw new PersonError("That sweep does not exist.");
      return sources.stop(input.id, who.name);
    },
    record: (input) => `Stopped sweep ${input.id}`,
  }),
};
