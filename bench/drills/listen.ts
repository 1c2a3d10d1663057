import { join } from "node:path";
import { alarmsOfIncident, incidentsIn, type IncidentCause, type IncidentRow } from "#server/store/incidents";
import { activeAlarms } from "#server/store/alarms";
import { openStore, type Db } from "#server/store/database";
import { componentById } from "#server/store/estate";
import { currentRelations } from "#server/store/relations";
import { healthAt, listServices } from "#server/store/services";
import type { Said, SaidAlarm, SaidIncident, Thing } from "./score";

/** Reads what Holotaxis said, from its own store, by the questions that its pages ask. */
export class Listener {
  private readonly db: Db;

  constructor(
    data: string,
    /** Ids of the scenario's sites by their names. */
    private readonly siteIds: ReadonlyMap<string, string> = new Map(),
  ) {
    this.db = openStore(join(data, "holotaxis.db"), "reader");
  }

  thing(componentId: number | null): Thing {
    const row = componentId === null ? undefined : componentById(this.db, componentId);
    if (!row) return {};
    // A disk that is a component of its own is named by the host that it is the disk of.
    const user = row.kind.startsWith("storage.") ? this.userOf(row.id) : undefined;
    if (user) return { host: user };
    const host = row.host_id === null ? row : componentById(this.db, row.host_id);
    // A container goes by its name; where there are several of the name, the estate adds the beginning of its id.
    const label = row.label?.replace(/-[0-9a-f]{6}$/, "") ?? "";
    return { host: host?.name, ...(row.host_id === null ? {} : { process: row.process ?? label }) };
  }

  private siteIdsOf = ([a, b]: [string, string]): [string, string] => [this.siteIdOf(a), this.siteIdOf(b)];

  /** The place of a host may be written shorter than the room's whole name. */
  private siteIdOf = (site: string): string =>
    [...this.siteIds].find(([name]) => name === site || name.startsWith(`${site} `))?.[1] ?? site;

  private userOf(volumeId: number): string | undefined {
    const relations = currentRelations(this.db);
    const user = relations.find((one) => one.type === "stored-on" && one.to_id === volumeId);
    if (user) return componentById(this.db, user.from_id)?.name;
    // A pool is named by the hypervisor that has it.
    const carrier = relations.find((one) => one.type === "hosted-by" && one.from_id === volumeId);
    return carrier && componentById(this.db, carrier.to_id)?.name;
  }

  /** Everything that was raised since an instant, the incidents that it went into, and how the services were shown. */
  said(startedAtMs: number, toMs: number, services: Said["services"]): Said {
    const alarms: SaidAlarm[] = [];
    const incidents: SaidIncident[] = [];
    for (const incident of incidentsIn(this.db, startedAtMs, toMs)) {
      const own = alarmsOfIncident(this.db, incident.id).filter(
        (one) => one.raised_at >= startedAtMs && one.raised_at <= toMs,
      );
      if (!own.length) continue;
      for (const one of own)
        alarms.push({
          id: one.id,
          ...(one.subject_type === "service" ? { service: one.subject } : this.thing(one.component_id)),
          raisedAtMs: one.raised_at,
          incident: incident.id,
          what: one.text,
        });
      incidents.push({
        id: incident.id,
        title: incident.title,
        openedAtMs: Math.min(...own.map((one) => one.raised_at)),
        services: incident.services.map((one) => one.name),
        suspects: this.suspectsOf(incident, own),
      });
    }
    return { startedAtMs, alarms, incidents, services };
  }

  /** Causes as things of the scenario. */
  suspects(causes: readonly IncidentCause[]): SaidIncident["suspects"] {
    return causes.map((one) => ({
      ...(one.line ? { between: this.siteIdsOf(one.line) } : this.thing(one.componentId)),
      ...(one.serviceId === null ? {} : { service: one.name }),
      probability: one.probability,
    }));
  }

  /** The suspected alarm first; behind it whatever else is in alarm, by when it was raised. */
  private suspectsOf(incident: IncidentRow, alarms: ReturnType<typeof alarmsOfIncident>): SaidIncident["suspects"] {
    if (incident.causes.length) return this.suspects(incident.causes);
    const first = alarms.filter((one) => one.id === incident.suspect_alarm_id);
    return [...first, ...alarms.filter((one) => !first.includes(one))].map((one) => this.thing(one.component_id));
  }

  /** How the services stand: critical is taken for down, anything less for degraded. */
  services(atMs: number): Said["services"] {
    const health = healthAt(this.db, "service", atMs);
    const named = listServices(this.db).map((one) => ({ name: one.name, severity: health.get(one.id)?.severity }));
    return {
      degraded: named.filter((one) => one.severity !== undefined && one.severity !== "critical").map((one) => one.name),
      down: named.filter((one) => one.severity === "critical").map((one) => one.name),
    };
  }

  /** Alarms that stand; a budget that was burnt stays so for hours after all is well. */
  standing(): number {
    return activeAlarms(this.db).filter((one) => one.detector !== "burn").length;
  }

  close(): void {
    this.db.close();
  }
}
