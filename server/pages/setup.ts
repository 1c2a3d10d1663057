import { auditIn, countAudit } from "../store/audit";
import { listRules } from "../store/alarms";
import type { Db } from "../store/database";
import { looseEvidence } from "../store/evidence";
import { incidentsAt } from "../store/incidents";
import { currentMembers, listServices, relianceAt } from "../store/services";
import { storedSamples } from "../store/signals";

export function rulesPage(db: Db, _question: object) {
  return listRules(db);
}

export function servicesPage(db: Db, { atMs }: { atMs: number }) {
  const reliance = relianceAt(db, atMs);
  const services = listServices(db);
  const names = new Map(services.map((service) => [service.id, service.name]));
  return services.map((service) => ({
    ...service,
    members: currentMembers(db, service.id).length,
    reliesOn: [...(reliance.get(service.id) ?? [])].map((id) => names.get(id) ?? ""),
  }));
}

export function storePage(db: Db, _question: object) {
  const size =
    (db.pragma("page_count", { simple: true }) as number) * (db.pragma("page_size", { simple: true }) as number);
  return { ...storedSamples(db), fileBytes: size };
}

/** The evidence tray of a person: what is pinned and not attached yet, and the incidents it could go to. */
export function trayPage(db: Db, { by, nowMs }: { by: string; nowMs: number }) {
  return {
    pins: looseEvidence(db, by),
    incidents: incidentsAt(db, nowMs).map((incident) => ({ id: incident.id, title: incident.title })),
  };
}

/** What people did in a window, newest first. */
export function auditPage(
  db: Db,
  { fromMs, toMs, page, pageSize }: { fromMs: number; toMs: number; page: number; pageSize: number },
) {
  return { rows: auditIn(db, fromMs, toMs, pageSize, page * pageSize), total: countAudit(db, fromMs, toMs) };
}
