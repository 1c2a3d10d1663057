import { kindMatches } from "#core/catalogue/kinds";
import { noteLines } from "#core/kits/notes";
import type { Kit } from "../../settings";
import type { Db } from "../../store/database";
import { notesOfMetric } from "../../store/notes";

/**
 * What people here and kits note about a sort of alarm: those of people first; one of a kit gives way to the one in its
 * place.
 * @param kind of what is in alarm: kits of other kinds say nothing of it; undefined where it is no component
 */
export function notesFor(db: Db, metric: string, kits: readonly Kit[], kind?: string) {
  const own = notesOfMetric(db, metric);
  const replaced = new Set(own.map((one) => one.replaces));
  return [
    ...own.map(({ title, text, by_whom: by }) => ({ title, lines: noteLines(text), kit: by })),
    ...kits
      .filter((kit) => kind === undefined || kit.kind === "*" || kindMatches(kit.kind, kind))
      .flatMap((kit) =>
        kit.notes
          .filter((note) => note.metric === metric && !replaced.has(note.title))
          .map((note) => ({ ...note, kit: kit.title })),
      ),
  ];
}
