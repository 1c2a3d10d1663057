import { kindMatches } from "#core/catalogue/kinds";
import type { Chore } from "#core/repair/chore";
import type { Db } from "../store/database";
import { currentComponents, type ComponentRow } from "../store/estate";
import { idsFitting } from "../store/estate-list";
import { collections, filterOfCollection } from "../store/labels";
import { listServices, membersAt } from "../store/services";

/** Components that a chore is for, by name: of its kinds and the runbook's, its collection, services and sites. */
export function scopeOfChore(
  db: Db,
  chore: Pick<Chore, "kinds" | "collection" | "services" | "sites">,
  runbookKinds: readonly string[],
  nowMs: number,
): ComponentRow[] {
  const is = (patterns: readonly string[], kind: string) => patterns.some((pattern) => kindMatches(pattern, kind));
  const collection = collections(db).find((one) => one.name === chore.collection);
  const inCollection =
    chore.collection === ""
      ? undefined
      : new Set(collection ? idsFitting(db, { ...filterOfCollection(collection.filter), atMs: nowMs }) : []);
  const wanted = new Set(listServices(db).flatMap((one) => (chore.services.includes(one.uid) ? one.id : [])));
  const members =
    chore.services.length === 0
      ? undefined
      : new Set(membersAt(db, nowMs).flatMap((one) => (wanted.has(one.service_id) ? one.component_id : [])));
  // A service's hosts are those that carry its members.
  const carriers = new Set(
    currentComponents(db).flatMap((one) => (members?.has(one.id) && one.host_id !== null ? one.host_id : [])),
  );
  return currentComponents(db)
    .filter(
      (one) =>
        is(runbookKinds, one.kind) &&
        (chore.kinds.length === 0 || is(chore.kinds, one.kind)) &&
        (inCollection === undefined || inCollection.has(one.id)) &&
        (members === undefined || members.has(one.id) || carriers.has(one.id)) &&
        (chore.sites.length === 0 || chore.sites.includes(one.site ?? "")),
    )
    .sort((a, b) => a.name.localeCompare(b.name) || a.id - b.id);
}
