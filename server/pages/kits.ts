import { detectorOf } from "#core/detection/registry";
import type { RuleInput } from "#core/detection/rule";
import { metricInfo, metricTitle, splitMetric } from "#core/catalogue/metrics";
import { differences, partStanding } from "#core/kits/difference";
import { noteLines } from "#core/kits/notes";
import { kitAsHere, noteInPlace } from "../kits/file";
import { readKits, type NamedKit } from "../kits/kits";
import { partsOf, type KitPart } from "../kits/parts";
import type { Db } from "../store/database";
import { offerOf } from "../store/kit-offers";
import { runbookByUid, versionsOf } from "../store/runbooks";
import { kindsInWords } from "./setup";

/** Everything that kits hold, and how what is here stands beside it. */
export function kitsPage(db: Db, { root }: { root: string }) {
  return readKits(root).map((kit) => {
    const standings = partsOf(kit).map((one) => standingOf(db, one).standing);
    const count = (wanted: string) => standings.filter((one) => one === wanted).length;
    return {
      uid: kit.uid,
      title: kit.title,
      kind: kindsInWords(kit.kind),
      rules: kit.rules.length + kit.judged.length,
      notes: kit.notes.length,
      runbooks: kit.runbooks.length,
      policies: kit.policies.length,
      chores: kit.chores.length,
      own: count("own") + kit.notes.filter((note) => noteInPlace(db, note.metric, note.title)).length,
      newer: count("newer"),
      removed: count("removed"),
    };
  });
}

function standingOf(db: Db, one: KitPart) {
  const kept = offerOf(db, one.part, one.name);
  const here = one.here(db);
  const standing = partStanding(kept === undefined ? undefined : one.read(kept), one.definition, here?.definition);
  return { here, standing };
}

/** What a rule does, in words; undefined for what is no rule. */
function wordsOf(one: KitPart, definition: unknown): string | null {
  if (one.part !== "rule" || definition === undefined) return null;
  const { type, settings } = definition as Pick<RuleInput, "type" | "settings">;
  const detector = detectorOf(type);
  if (!detector) return null;
  const { metric } = detector.reads(settings);
  const unit = metricInfo(splitMetric(metric).base).unit;
  return detector.describe(settings, unit);
}

/** One kit whole: its parts with what was made of them here, its notes, what else comes with it. */
export function kitPage(db: Db, { root, uid }: { root: string; uid: string }) {
  const kit = readKits(root).find((one) => one.uid === uid);
  if (!kit) return null;
  return {
    uid,
    title: kit.title,
    kind: kindsInWords(kit.kind),
    parts: partsOf(kit).map((one) => {
      const { here, standing } = standingOf(db, one);
      return {
        part: one.part,
        name: one.name,
        id: here?.id ?? null,
        isOn: here?.isOn ?? false,
        level: here?.level ?? null,
        standing,
        kitWords: wordsOf(one, one.definition),
        words: wordsOf(one, here?.definition),
        differences: here ? differences(one.definition, here.definition) : [],
      };
    }),
    notes: kit.notes.map((note) => {
      const own = noteInPlace(db, note.metric, note.title);
      return {
        ...note,
        about: metricTitle(note.metric, ""),
        own: own ? { id: own.id, title: own.title, lines: noteLines(own.text), by: own.by_whom, at: own.at } : null,
      };
    }),
    runbooks: kit.runbooks.map(({ uid: runbook, name, purpose }) => {
      const known = runbookByUid(db, runbook);
      const versions = known ? versionsOf(db, known.id) : [];
      return { id: known?.id ?? null, name, purpose, isOwn: versions.some((one) => one.made_by !== "kit") };
    }),
    kinds: kit.kinds.map((one) => one.label),
    metrics: kit.metrics.map((one) => one.label),
  };
}

/** A kit's file as it is here. */
export function kitFile(db: Db, { root, uid }: { root: string; uid: string }) {
  const kit: NamedKit | undefined = readKits(root).find((one) => one.uid === uid);
  return kit ? kitAsHere(db, kit) : null;
}
