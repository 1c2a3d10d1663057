import { worstSeverity, type Severity } from "#core/alarms/severity";
import { fitsPattern } from "#core/estate/pattern";
import { EstateGraph } from "#core/topology/graph";
import { activeAlarms, type AlarmRow, type Subject } from "../store/alarms";
import { insertChange } from "../store/changes";
import type { Db } from "../store/database";
import { currentComponents } from "../store/estate";
import { currentRelations } from "../store/relations";
import {
  listServices,
  membersAt,
  writeHealth,
  writeMembers,
  writeReliance,
  type EntryPattern,
} from "../store/services";

/** The present relations, as every computation over them asks for them. */
export const readGraph = (db: Db): EstateGraph =>
  new EstateGraph(currentRelations(db).map((row) => ({ type: row.type, from: row.from_id, to: row.to_id })));

/** Works out anew what every service is made of and relies on; who joins and leaves is kept with its time. */
export function refreshServices(db: Db, graph: EstateGraph, atMs: number): void {
  const components = currentComponents(db);
  const nameOf = new Map(components.map((component) => [component.id, component.name]));
  const entriesOf = (patterns: readonly EntryPattern[]) =>
    components
      .filter(({ label, host_id }) => {
        const host = host_id === null ? undefined : nameOf.get(host_id);
        return (
          label !== null &&
          host !== undefined &&
          patterns.some((pattern) => fitsPattern(pattern.host, host) && fitsPattern(pattern.process, label))
        );
      })
      .map((component) => component.id);
  const services = listServices(db).map((service) => ({ service, entries: entriesOf(service.entries) }));
  const extents = graph.serviceExtents(
    services.map(({ service: { id, details }, entries }) => ({
      service: id,
      entries,
      pinned: (details.pinned ?? []).filter((one) => nameOf.has(one)),
      excluded: new Set(details.excluded),
    })),
  );
  // A newcomer is told of as found; that it joined a service goes without saying.
  const newcomers = new Set(
    components.filter((component) => component.valid_from === atMs).map((component) => component.id),
  );
  db.transaction(() => {
    extents.forEach((extent, index) => {
      const { service, entries } = services[index] as (typeof services)[number];
      const first = membersAt(db, atMs).every((member) => member.service_id !== service.id);
      const { joined, left } = writeMembers(db, service.id, extent.members, new Set(entries), atMs);
      if (!first) {
        for (const id of joined)
          if (!newcomers.has(id))
            insertChange(db, {
              atMs,
              kind: "membership",
              componentId: id,
              summary: `${nameOf.get(id)} joined ${service.name}`,
              by: "Holotaxis",
            });
        for (const id of left)
          insertChange(db, {
            atMs,
            kind: "membership",
            componentId: id,
            summary: `${nameOf.get(id) ?? "A component"} left ${service.name}`,
            by: "Holotaxis",
          });
      }
      writeReliance(db, service.id, extent.reliesOn, atMs);
    });
  })();
}

/** Which services a component belongs to, by component. */
export function servicesByComponent(db: Db, atMs: number): Map<number, { id: number; name: string }[]> {
  const names = new Map(listServices(db).map((service) => [service.id, service.name]));
  const map = new Map<number, { id: number; name: string }[]>();
  for (const row of membersAt(db, atMs)) {
    const list = map.get(row.component_id) ?? [];
    list.push({ id: row.service_id, name: names.get(row.service_id) ?? "" });
    map.set(row.component_id, list);
  }
  return map;
}

/**
 * Health of the given subjects from their active alarms, and of every service from its own alarms and its members': the
 * worst of them. Call inside a transaction. Returns how many verdicts changed.
 */
export function refreshHealth(
  db: Db,
  subjects: Iterable<Subject>,
  servicesOf: ReadonlyMap<number, readonly { id: number; name: string }[]>,
  atMs: number,
): number {
  const active = activeAlarms(db);
  let changed = 0;
  const services = new Set<number>();
  const components = new Set<number>();
  for (const { type, id } of subjects) {
    if (type === "service") services.add(id);
    if (type !== "component" || components.has(id)) continue;
    components.add(id);
    const own = active.filter((alarm) => alarm.component_id === id);
    const severity: Severity = worstSeverity(own.map((alarm) => alarm.severity));
    const reason = own.find((alarm) => alarm.severity === severity)?.text ?? "";
    if (writeHealth(db, "component", id, severity, reason, atMs)) changed++;
    for (const service of servicesOf.get(id) ?? []) services.add(service.id);
  }
  const affects = (alarm: AlarmRow, id: number) =>
    alarm.component_id === null
      ? alarm.subject_type === "service" && alarm.subject_id === id
      : servicesOf.get(alarm.component_id)?.some((service) => service.id === id);
  for (const id of services) {
    const own = active.filter((alarm) => affects(alarm, id));
    const severity = worstSeverity(own.map((alarm) => alarm.severity));
    const worst = own.find((alarm) => alarm.severity === severity);
    const reason = worst && (worst.component_id === null ? worst.text : `${worst.subject}: ${worst.text}`);
    if (writeHealth(db, "service", id, severity, reason ?? "", atMs)) changed++;
  }
  return changed;
}
