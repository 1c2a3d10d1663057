import { canonical } from "#core/kits/difference";
import { noteLines } from "#core/kits/notes";
import { scopeText } from "#core/detection/rule";
import { kitSchema, type Kit } from "../settings";
import { ruleNamed, saveRule } from "../store/alarms";
import { PersonError, type Db } from "../store/database";
import { addNote, allNotes, removeNote } from "../store/notes";
import { rulesOf } from "./parts";
import type { NamedKit } from "./kits";

/** What a kit's file that was taken in made: rules and notes that are new, changed, and as they were. */
export interface TakenIn {
  added: string[];
  changed: string[];
  same: number;
}

/** The note of people that stands in the place of a kit's. */
export const noteInPlace = (db: Db, metric: string, title: string) =>
  allNotes(db).find((one) => one.metric === metric && one.replaces === title);

/**
 * Reads a kit's file. Throws a PersonError that says what is wrong with it: only rules and notes are taken in here; what acts is
 * written and approved on its own pages, and kinds and metrics are read when Holotaxis starts.
 */
export function readKitFile(text: string): Kit {
  let given: unknown;
  try {
    given = JSON.parse(text);
  } catch {
    throw new PersonError("That is no JSON. Take the file of a kit as a pattern.");
  }
  const read = kitSchema.safeParse(given);
  if (!read.success) {
    const [issue] = read.error.issues;
    throw new PersonError(
      `The kit cannot be used: ${issue?.path.join(" › ") || "file"}: ${issue?.message ?? "not right"}`,
    );
  }
  const kit = read.data;
  const others = { runbooks: "Runbooks", policies: "Policies", chores: "Chores", kinds: "Kinds", metrics: "Metrics" };
  for (const [field, name] of Object.entries(others))
    if (kit[field as keyof typeof others].length > 0)
      throw new PersonError(
        field === "kinds" || field === "metrics"
          ? `${name} of a kit are read from the installation's own files when Holotaxis starts. Take “${field}” out of this one.`
          : `${name} act on hosts, so they are written and approved on their own page. Take “${field}” out of this file.`,
      );
  return kit;
}

/** Takes the rules and notes of a kit in, in place of those of the same names; inside a transaction. */
export function takeKitFile(db: Db, kit: Kit, kits: readonly NamedKit[], by: string, atMs: number): TakenIn {
  const taken: TakenIn = { added: [], changed: [], same: 0 };
  for (const rule of readRules(kit)) {
    const own = ruleNamed(db, rule.name);
    if (own && canonical({ ...own, id: 0 }) === canonical({ ...rule, id: 0 })) {
      taken.same++;
      continue;
    }
    saveRule(db, own?.id, rule);
    (own ? taken.changed : taken.added).push(`rule “${rule.name}”`);
  }
  for (const note of kit.notes) {
    const text = note.lines.join("\n");
    const shipped = kits
      .flatMap((one) => one.notes)
      .find((one) => one.metric === note.metric && one.title === note.title);
    const own = allNotes(db).find(
      (one) =>
        one.metric === note.metric &&
        (one.replaces === note.title || (one.replaces === "" && one.title === note.title)),
    );
    const here = own ? noteLines(own.text) : shipped?.lines;
    if (here && canonical(here) === canonical(note.lines)) {
      taken.same++;
      continue;
    }
    if (own) removeNote(db, own.id);
    const replaces = shipped ? shipped.title : "";
    addNote(db, { metric: note.metric, title: note.title, text, replaces, incident_id: null, by_whom: by, at: atMs });
    (here ? taken.changed : taken.added).push(`note “${note.title}”`);
  }
  return taken;
}

function readRules(kit: Kit) {
  try {
    return rulesOf(kit);
  } catch (error) {
    throw new PersonError(error instanceof Error ? error.message : "A rule of the kit cannot be used.");
  }
}

/** A kit as it is here: its rules with what people made of them, its notes with those in their place; rules that were removed are left out. */
export function kitAsHere(db: Db, kit: NamedKit) {
  return {
    kind: kit.kind,
    title: kit.title,
    rules: [],
    judged: rulesOf(kit).flatMap(({ name }) => {
      const own = ruleNamed(db, name);
      return own
        ? [{ name, type: own.type, scope: scopeText(own.scope), settings: own.settings, isOn: own.enabled }]
        : [];
    }),
    notes: kit.notes.map((note) => {
      const own = noteInPlace(db, note.metric, note.title);
      return own ? { metric: note.metric, title: own.title, lines: noteLines(own.text) } : note;
    }),
  };
}
