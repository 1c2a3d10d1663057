import { z } from "zod";
import { INSTALLATION } from "#core/people/rights";
import { noteInPlace, readKitFile, takeKitFile } from "../kits/file";
import { readKits } from "../kits/kits";
import { partsOf, type KitPart } from "../kits/parts";
import { insertChange } from "../store/changes";
import { PersonError } from "../store/database";
import { noteOffer } from "../store/kit-offers";
import { addNote, removeNote } from "../store/notes";
import { command } from "./command";

const part = {
  kit: z.string().min(1).max(80),
  part: z.enum(["rule", "policy", "chore"]),
  name: z.string().min(1).max(80),
};

function kitOf(root: string, uid: string) {
  const kit = readKits(root).find((one) => one.uid === uid);
  if (!kit) throw new PersonError("There is no such kit.");
  return kit;
}

function partOf(root: string, { kit, part: kind, name }: { kit: string; part: string; name: string }): KitPart {
  const found = partsOf(kitOf(root, kit)).find((one) => one.part === kind && one.name === name);
  if (!found) throw new PersonError(`The kit has no ${kind} “${name}”.`);
  return found;
}

/** What people do with kits: take what they say, keep their own, write notes in the place of theirs, take a file in. */
export const kitCommands = {
  "kit.take": command({
    right: "configure",
    about: ({ kit }) => ({ type: "kit", id: kit }),
    input: z.strictObject(part),
    state: ({ db, root }, input) => partOf(root, input).here(db)?.definition,
    run: ({ db, root, now, onRules }, input, who) => {
      const one = partOf(root, input);
      db.transaction(() => {
        one.take(db, who.name, now());
        noteOffer(db, one.part, one.name, one.definition, now());
        insertChange(db, {
          atMs: now(),
          kind: "setting",
          componentId: null,
          summary: `The ${one.part} “${one.name}” is as in its kit again`,
          by: who.name,
        });
      })();
      onRules();
    },
    record: (input) => `Took the ${input.part} “${input.name}” from the kit ${input.kit}`,
  }),
  "kit.keep": command({
    right: "configure",
    about: ({ kit }) => ({ type: "kit", id: kit }),
    input: z.strictObject(part),
    run: ({ db, root, now }, input) => {
      const one = partOf(root, input);
      db.transaction(() => noteOffer(db, one.part, one.name, one.definition, now()))();
    },
    record: (input) => `Kept the own ${input.part} “${input.name}”, whatever the kit ${input.kit} says now`,
  }),
  "kit.note": command({
    right: "configure",
    about: ({ kit }) => ({ type: "kit", id: kit }),
    input: z.strictObject({
      kit: part.kit,
      metric: z.string().min(1).max(80),
      replaces: z.string().min(1).max(80),
      title: z.string().trim().min(1, "Give it a title.").max(80, "A title has at most 80 characters."),
      text: z.string().trim().min(1, "Write the note.").max(2000, "A note has at most 2,000 characters."),
    }),
    run: ({ db, root, now }, { kit, metric, replaces, title, text }, who) => {
      if (!kitOf(root, kit).notes.some((one) => one.metric === metric && one.title === replaces))
        throw new PersonError("The kit has no such note.");
      db.transaction(() => {
        const before = noteInPlace(db, metric, replaces);
        if (before) removeNote(db, before.id);
        addNote(db, { metric, title, text, replaces, incident_id: null, by_whom: who.name, at: now() });
      })();
    },
    record: (input) => `Wrote a note in the place of “${input.replaces}” of the kit ${input.kit}`,
  }),
  "kit.import": command({
    right: "configure",
    about: () => INSTALLATION,
    input: z.strictObject({ text: z.string().max(262_144, "A kit's file has at most 256 KiB.") }),
    run: ({ db, root, now, onRules }, { text }, who) => {
      const kit = readKitFile(text);
      const taken = db.transaction(() => {
        const done = takeKitFile(db, kit, readKits(root), who.name, now());
        for (const what of [...done.added, ...done.changed])
          insertChange(db, {
            atMs: now(),
            kind: "setting",
            componentId: null,
            summary: `${what[0]?.toUpperCase() ?? ""}${what.slice(1)} was taken in from the file of the kit “${kit.title}”`,
            by: who.name,
          });
        return done;
      })();
      onRules();
      return taken;
    },
    record: (_input, taken) =>
      `Took in a kit's file: ${taken ? `${taken.added.length} new, ${taken.changed.length} changed` : "nothing"}`,
  }),
};
