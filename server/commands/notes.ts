import { z } from "zod";
import { PersonError } from "../store/database";
import { incidentById } from "../store/incidents";
import { addNote, noteById, removeNote } from "../store/notes";
import { command } from "./command";

const id = z.number().int().min(1);

/** What people write down of a sort of alarm for whoever meets it next. */
export const noteCommands = {
  "note.add": command({
    right: "respond",
    about: ({ incidentId }) => ({ type: "incident", id: incidentId }),
    input: z.strictObject({
      incidentId: id,
      metric: z.string().min(1).max(80),
      title: z.string().trim().min(1, "Give it a title.").max(80, "A title has at most 80 characters."),
      text: z.string().trim().min(1, "Write the note.").max(2000, "A note has at most 2,000 characters."),
    }),
    run: ({ db, now }, { incidentId, ...note }, who) => {
      if (!incidentById(db, incidentId)) throw new PersonError("That incident does not exist.");
      return addNote(db, { ...note, incident_id: incidentId, replaces: "", by_whom: who.name, at: now() });
    },
    record: (input) => `Wrote the note “${input.title}” for ${input.metric}`,
  }),
  "note.remove": command({
    right: "respond",
    about: () => ({ type: "note" }),
    input: z.strictObject({ id }),
    state: ({ db }, input) => noteById(db, input.id),
    run: ({ db }, input) => {
      if (!noteById(db, input.id)) throw new PersonError("That note does not exist.");
      removeNote(db, input.id);
    },
    record: (input) => `Removed note ${input.id}`,
  }),
};
