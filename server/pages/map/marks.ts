import { kindInfo } from "#core/catalogue/kinds";
import { verbOf } from "#core/topology/words";
import type { Db } from "../../store/database";
import { differences } from "../../store/differences";
import { healthAt } from "../../store/services";

/** How a thing differs between two instants. */
export interface DifferenceMark {
  mark: "new" | "gone" | "changed";
  /** What is different, in a few words. */
  words: string;
}

/** Differences of one thing that are told one by one. */
const MOST_WORDS = 4;

/** What differs of each component between two instants: whether it is there, what is said of it, relations, health. */
export function marksBetween(db: Db, fromMs: number, toMs: number): Map<number, DifferenceMark> {
  const found = differences(db, { fromMs, toMs, search: "" });
  const changed = new Map<number, string[]>();
  const tell = (id: number, words: string) => {
    const own = changed.get(id);
    if (own) own.push(words);
    else changed.set(id, [words]);
  };
  for (const { id, name, before, after } of [...found.facts, ...found.labels])
    tell(id, `${name}: ${before ?? "nothing"} → ${after ?? "nothing"}`);
  for (const [verb, rows] of [
    ["now", found.joined],
    ["no longer", found.parted],
  ] as const)
    for (const { type, fromId, fromName, toId, toName } of rows) {
      tell(fromId, `${verb} ${verbOf(type)} ${toName}`);
      tell(toId, `${verb}: ${fromName} ${verbOf(type)} it`);
    }
  const [before, after] = [healthAt(db, "component", fromMs), healthAt(db, "component", toMs)];
  const stateOf = (severity: string | undefined) =>
    severity === undefined || severity === "cleared" ? "well" : severity;
  for (const id of new Set([...before.keys(), ...after.keys()])) {
    const [was, is] = [stateOf(before.get(id)?.severity), stateOf(after.get(id)?.severity)];
    if (was !== is) tell(id, `${was} → ${is}`);
  }
  const marks = new Map<number, DifferenceMark>();
  for (const [id, words] of changed)
    marks.set(id, {
      mark: "changed",
      words: [
        ...words.slice(0, MOST_WORDS),
        ...(words.length > MOST_WORDS ? [`${words.length - MOST_WORDS} more`] : []),
      ].join("; "),
    });
  for (const { id, kind } of found.came)
    marks.set(id, { mark: "new", words: `this ${kindInfo(kind).label} was not there before` });
  for (const { id, kind } of found.left)
    marks.set(id, { mark: "gone", words: `this ${kindInfo(kind).label} is not there any more` });
  return marks;
}

/** What is different within a group; undefined where nothing is. */
export function markOfGroup(marks: readonly DifferenceMark[]): DifferenceMark | undefined {
  const first = marks[0];
  if (!first) return undefined;
  const counts = (["new", "gone", "changed"] as const).flatMap((mark) => {
    const count = marks.filter((one) => one.mark === mark).length;
    return count ? `${count} ${mark}` : [];
  });
  return { mark: marks.every((one) => one.mark === first.mark) ? first.mark : "changed", words: counts.join(", ") };
}
