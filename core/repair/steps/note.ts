import { z } from "zod";
import { fillText, type Words } from "../fill";
import { common } from "./step";

export const noteStep = z.strictObject({
  type: z.literal("note"),
  ...common,
  text: z.string("Write the note.").min(1, "Write the note.").max(2000).meta({ title: "Text", lines: true }),
});
export type NoteStep = z.infer<typeof noteStep>;

export const note = {
  type: "note",
  label: "Note",
  about: "Says something to whoever reads the run.",
  acts: false,
  texts: (step: NoteStep) => [step.text],
  words: (step: NoteStep, words: Words) => fillText(step.text, words),
};
