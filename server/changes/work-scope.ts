import type { WorkScope } from "#core/changes/planned-work";
import type { Db } from "../store/database";
import { idsFitting } from "../store/estate-list";
import { filterOfCollection } from "../store/labels";
import { listServices, membersOf } from "../store/services";

/** What planned work is on at an instant: components by id, and the service where it is on one. */
export interface Covered {
  components: ReadonlySet<number>;
  service: number | null;
}

/** What a scope covers; nothing where its service is gone. */
export function coveredBy(db: Db, scope: WorkScope, atMs: number): Covered {
  if (scope.of === "components")
    return { components: new Set(idsFitting(db, { ...filterOfCollection(scope.filter), atMs })), service: null };
  const service = listServices(db).find((one) => one.uid === scope.uid);
  if (!service) return { components: new Set(), service: null };
  return {
    components: new Set(membersOf(db, service.id, atMs).map((one) => one.component_id)),
    service: service.id,
  };
}
