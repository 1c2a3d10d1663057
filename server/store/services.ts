import type { Severity } from "#core/alarms/severity";
import type { HealthSettings, MemberWeight } from "#core/topology/health";
import { prepared, type Db } from "./database";

/**
 * An entry point of a service: processes of one name on hosts whose names match a pattern (`*` stands for anything).
 */
export interface EntryPattern {
  host: string;
  process: string;
  /** Patterns of the operations that are asked there for the service; all of them where there are none. */
  operations?: string[] | undefined;
}

/** Where the business figure of a service is read: an OpenMetrics page and a metric on it. */
export interface FigureSource {
  url: string;
  metric: string;
  label: string;
  unit: string;
  /** Shown first on Watch. */
  headline?: boolean | undefined;
}

/** What people say of a service besides its entry points. */
export interface ServiceDetails {
  /** When it must work, as people say it: "Mo–Fr 06:00–22:00". */
  hours?: string;
  /** Response times that it keeps to, as measured at the server and in the browser, milliseconds. */
  serverLimitMs?: number;
  browserLimitMs?: number;
  /** Share of calls that must be answered within the limit without failing, percent, over 30 days. */
  objectivePercent?: number;
  /** Where the objective counts the business figure instead: the share of its usual that it is held against, percent. */
  figurePercent?: number;
  /** Whether it is to stay at or below that share; left out, it is to reach it. */
  figureSide?: "most";
  /** Whether people want to hear of slowness, or of failures only. */
  tells?: "failures and slowness" | "failures";
  /** How the state of its members follows from each of theirs; the worst of them without it. */
  state?: HealthSettings & { weights?: MemberWeight[] | undefined };
  /** For whoever is on shift. */
  notes?: string;
  /** Names in addresses of the services it is meant to rely on; left out where nobody has said. */
  reliesOn?: string[];
  /** Members by hand, and those left out by hand. */
  pinned?: number[];
  excluded?: number[];
}

export interface ServiceDefinition {
  uid: string;
  name: string;
  purpose: string;
  owner: string;
  entries: EntryPattern[];
  figure?: FigureSource | undefined;
  details?: ServiceDetails;
}

export interface ServiceRow {
  id: number;
  uid: string;
  name: string;
  purpose: string;
  owner: string;
  entries: EntryPattern[];
  figure: FigureSource | null;
  details: ServiceDetails;
}

const toRow = (row: {
  id: number;
  uid: string;
  name: string;
  purpose: string;
  owner: string;
  entries: string;
  figure: string | null;
  details: string;
}): ServiceRow => ({
  ...row,
  entries: JSON.parse(row.entries) as EntryPattern[],
  figure: row.figure ? (JSON.parse(row.figure) as FigureSource) : null,
  details: JSON.parse(row.details) as ServiceDetails,
});

export function saveService(db: Db, service: ServiceDefinition, atMs: number): number {
  prepared(
    db,
    `INSERT INTO service (uid, name, purpose, owner, entries, figure, details, valid_from)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (uid) DO UPDATE
     SET name = excluded.name, purpose = excluded.purpose, owner = excluded.owner, entries = excluded.entries,
       figure = excluded.figure, details = excluded.details, valid_to = NULL`,
  ).run(
    service.uid,
    service.name,
    service.purpose,
    service.owner,
    JSON.stringify(service.entries),
    service.figure ? JSON.stringify(service.figure) : null,
    JSON.stringify(service.details ?? {}),
    atMs,
  );
  return prepared<{ id: number }>(db, "SELECT id FROM service WHERE uid = ?").get(service.uid)?.id as number;
}

export function listServices(db: Db): ServiceRow[] {
  return prepared<Parameters<typeof toRow>[0]>(
    db,
    "SELECT id, uid, name, purpose, owner, entries, figure, details FROM service WHERE valid_to IS NULL ORDER BY name",
  )
    .all()
    .map(toRow);
}

/** A service, also one that was retired. */
export function serviceOfUid(db: Db, uid: string): (ServiceRow & { retiredAt: number | null }) | undefined {
  const row = prepared<Parameters<typeof toRow>[0] & { retiredAt: number | null }>(
    db,
    `SELECT id, uid, name, purpose, owner, entries, figure, details, valid_to AS retiredAt FROM service WHERE uid = ?`,
  ).get(uid);
  return row && { ...toRow(row), retiredAt: row.retiredAt };
}

/** Ends a service and the membership in it; what it was stays. */
export function retireService(db: Db, id: number, atMs: number): void {
  for (const sql of [
    "UPDATE service SET valid_to = ? WHERE id = ? AND valid_to IS NULL",
    "UPDATE member SET valid_to = ? WHERE service_id = ? AND valid_to IS NULL",
    "UPDATE reliance SET valid_to = ? WHERE service_id = ? AND valid_to IS NULL",
    "UPDATE reliance SET valid_to = ? WHERE on_service_id = ? AND valid_to IS NULL",
    "UPDATE health SET valid_to = ? WHERE subject IN ('service', 'members') AND subject_id = ? AND valid_to IS NULL",
  ])
    prepared(db, sql).run(atMs, id);
}

/** Brings the kept members of a service to the given ones, from an instant on. Returns who joined and who left. */
export function writeMembers(
  db: Db,
  serviceId: number,
  members: ReadonlySet<number>,
  entries: ReadonlySet<number>,
  atMs: number,
): { joined: number[]; left: number[] } {
  const rows = prepared<{ id: number; entry: number }>(
    db,
    "SELECT component_id AS id, entry FROM member WHERE service_id = ? AND valid_to IS NULL",
  ).all(serviceId);
  const current = new Set(rows.map((row) => row.id));
  const joined = [...members].filter((id) => !current.has(id));
  const left = [...current].filter((id) => !members.has(id));
  // Who became an entry point, or is none any more, is so from now on.
  const turned = rows.flatMap(({ id, entry }) => (members.has(id) && (entry === 1) !== entries.has(id) ? [id] : []));
  for (const id of [...left, ...turned])
    prepared(db, "UPDATE member SET valid_to = ? WHERE service_id = ? AND component_id = ? AND valid_to IS NULL").run(
      atMs,
      serviceId,
      id,
    );
  for (const id of [...joined, ...turned])
    prepared(db, "INSERT OR REPLACE INTO member (service_id, component_id, entry, valid_from) VALUES (?, ?, ?, ?)").run(
      serviceId,
      id,
      entries.has(id) ? 1 : 0,
      atMs,
    );
  return { joined, left };
}

export function currentMembers(db: Db, serviceId: number): number[] {
  return prepared<{ component_id: number }>(
    db,
    "SELECT component_id FROM member WHERE service_id = ? AND valid_to IS NULL",
  )
    .all(serviceId)
    .map((row) => row.component_id);
}

export interface MemberRow {
  service_id: number;
  component_id: number;
  entry: number;
}

export function membersAt(db: Db, atMs: number): MemberRow[] {
  return prepared<MemberRow>(
    db,
    "SELECT service_id, component_id, entry FROM member WHERE valid_from <= ? AND (valid_to IS NULL OR valid_to > ?)",
  ).all(atMs, atMs);
}

/** Components by which each service is entered. */
export function entriesByService(db: Db, atMs: number): Map<number, Set<number>> {
  const entries = new Map<number, Set<number>>();
  for (const row of membersAt(db, atMs)) {
    if (row.entry !== 1) continue;
    const own = entries.get(row.service_id) ?? new Set();
    entries.set(row.service_id, own.add(row.component_id));
  }
  return entries;
}

/** Members of one service. */
export function membersOf(db: Db, serviceId: number, atMs: number): MemberRow[] {
  return prepared<MemberRow>(
    db,
    `SELECT service_id, component_id, entry FROM member
     WHERE service_id = ? AND valid_from <= ? AND (valid_to IS NULL OR valid_to > ?)`,
  ).all(serviceId, atMs, atMs);
}

/** Services that some components are members of. */
export function servicesOfComponents(db: Db, ids: Iterable<number>, atMs: number): Set<number> {
  const statement = prepared<{ service_id: number }>(
    db,
    "SELECT service_id FROM member WHERE component_id = ? AND valid_from <= ? AND (valid_to IS NULL OR valid_to > ?)",
  );
  const services = new Set<number>();
  for (const id of ids) for (const row of statement.all(id, atMs, atMs)) services.add(row.service_id);
  return services;
}

export function writeReliance(db: Db, serviceId: number, reliesOn: ReadonlySet<number>, atMs: number): void {
  const current = new Set(
    prepared<{ on_service_id: number }>(
      db,
      "SELECT on_service_id FROM reliance WHERE service_id = ? AND valid_to IS NULL",
    )
      .all(serviceId)
      .map((row) => row.on_service_id),
  );
  for (const id of current)
    if (!reliesOn.has(id))
      prepared(
        db,
        "UPDATE reliance SET valid_to = ? WHERE service_id = ? AND on_service_id = ? AND valid_to IS NULL",
      ).run(atMs, serviceId, id);
  for (const id of reliesOn)
    if (!current.has(id))
      prepared(db, "INSERT OR REPLACE INTO reliance (service_id, on_service_id, valid_from) VALUES (?, ?, ?)").run(
        serviceId,
        id,
        atMs,
      );
}

export function relianceAt(db: Db, atMs: number): Map<number, Set<number>> {
  const map = new Map<number, Set<number>>();
  for (const row of prepared<{ service_id: number; on_service_id: number }>(
    db,
    "SELECT service_id, on_service_id FROM reliance WHERE valid_from <= ? AND (valid_to IS NULL OR valid_to > ?)",
  ).all(atMs, atMs)) {
    const own = map.get(row.service_id) ?? new Set();
    own.add(row.on_service_id);
    map.set(row.service_id, own);
  }
  return map;
}

/** "service" is what a service is hurt by, "members" how those are that it relies on. */
export type HealthSubject = "component" | "service" | "members";

export interface HealthRow {
  subject_id: number;
  severity: Severity;
  reason: string;
  valid_from: number;
}

/** Sets the health of a subject from an instant on. `cleared` is kept as a state too, so that the past can be drawn. */
export function writeHealth(
  db: Db,
  subject: HealthSubject,
  id: number,
  severity: Severity,
  reason: string,
  atMs: number,
): boolean {
  const now = prepared<{ severity: Severity; reason: string; valid_from: number }>(
    db,
    "SELECT severity, reason, valid_from FROM health WHERE subject = ? AND subject_id = ? AND valid_to IS NULL",
  ).get(subject, id);
  if ((now?.severity ?? "cleared") === severity && (now?.reason ?? "") === reason) return false;
  if (now)
    prepared(db, "UPDATE health SET valid_to = ? WHERE subject = ? AND subject_id = ? AND valid_to IS NULL").run(
      atMs,
      subject,
      id,
    );
  prepared(
    db,
    `INSERT INTO health (subject, subject_id, severity, reason, valid_from) VALUES (?, ?, ?, ?, ?)
     ON CONFLICT DO UPDATE SET severity = excluded.severity, reason = excluded.reason, valid_to = NULL`,
  ).run(subject, id, severity, reason, atMs);
  return true;
}

export function healthAt(db: Db, subject: HealthSubject, atMs: number): Map<number, HealthRow> {
  const rows = prepared<HealthRow>(
    db,
    `SELECT subject_id, severity, reason, valid_from FROM health WHERE subject = ? AND valid_from <= ?
     AND (valid_to IS NULL OR valid_to > ?) AND severity <> 'cleared'`,
  ).all(subject, atMs, atMs);
  return new Map(rows.map((row) => [row.subject_id, row]));
}
