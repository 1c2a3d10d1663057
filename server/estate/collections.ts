import { insertChange } from "../store/changes";
import type { Db } from "../store/database";
import { componentById, currentComponents } from "../store/estate";
import { idsFitting } from "../store/estate-list";
import {
  collections,
  filterOfCollection,
  labelled,
  labelledBy,
  labellers,
  labelsBy,
  putLabel,
  setUnwatched,
  takeLabel,
  unwatched,
  type CollectionRow,
} from "../store/labels";

/** As labels say who put them on. */
const BY = "collection ";
const byOf = ({ name }: Pick<CollectionRow, "name">) => `${BY}${name}`;

/**
 * Lets collections do what people said of them, to whatever belongs to them now: labels are put on and taken off again,
 * watching ends and begins. What anybody else put on stays. Call inside a transaction.
 * @returns what is not watched any more since now, parts among it
 */
export function applyCollections(db: Db, atMs: number): number[] {
  const off = new Map<number, string>();
  const all = collections(db);
  const present = new Set(all.map(byOf));
  for (const by of labellers(db)) if (by.startsWith(BY) && !present.has(by)) takeBack(db, by, [], atMs);
  for (const one of all) {
    const by = byOf(one);
    if (!one.effects.length) {
      takeBack(db, by, [], atMs);
      continue;
    }
    const ids = idsFitting(db, { ...filterOfCollection(one.filter), atMs });
    const within = new Set(ids);
    const labels = one.effects.flatMap((effect) => (effect.what === "label" ? [effect] : []));
    takeBack(db, by, labels, atMs);
    for (const { name, value } of labels) {
      const own = labelledBy(db, { name, value }, by);
      const gone = own.filter((id) => !within.has(id));
      if (gone.length) takeLabel(db, gone, name, value, atMs);
      // Of these there is but one, and somebody's word goes before a rule's.
      const taken = name === "tag" ? new Set(own) : labelled(db, name);
      const fresh = ids.filter((id) => !taken.has(id));
      if (fresh.length) putLabel(db, fresh, name, value, by, atMs);
    }
    if (one.effects.some((effect) => effect.what === "unwatched"))
      for (const id of ids) if (!off.has(id)) off.set(id, by);
  }
  return watchAgain(db, off, atMs);
}

/** Takes off what a collection put on and does not put on any more. */
function takeBack(db: Db, by: string, kept: readonly { name: string; value: string }[], atMs: number): void {
  for (const { name, value } of labelsBy(db, by))
    if (!kept.some((one) => one.name === name && one.value === value))
      takeLabel(db, labelledBy(db, { name, value }, by), name, value, atMs);
}

function watchAgain(db: Db, off: ReadonlyMap<number, string>, atMs: number): number[] {
  const before = unwatched(db);
  const ended = [...off].filter(([id]) => !before.has(id));
  const begun = [...before].filter(([id]) => !off.has(id));
  for (const [id, by] of off) if (before.get(id) !== by) setUnwatched(db, id, by, atMs);
  for (const [id] of begun) setUnwatched(db, id, null, atMs);
  const tell = (changed: readonly (readonly [number, string])[], words: string) => {
    const [first] = changed;
    if (!first) return;
    insertChange(db, {
      atMs,
      kind: "setting",
      componentId: changed.length === 1 ? first[0] : null,
      summary: `${changed.length === 1 ? (componentById(db, first[0])?.name ?? "A component") : `${changed.length} components`} ${changed.length === 1 ? "is" : "are"} ${words}`,
      by: first[1],
    });
  };
  tell(ended, "not watched any more");
  tell(begun, "watched again");
  if (!ended.length) return [];
  const now = new Set(ended.map(([id]) => id));
  return currentComponents(db).flatMap((one) =>
    now.has(one.id) || (one.host_id !== null && now.has(one.host_id)) ? [one.id] : [],
  );
}
