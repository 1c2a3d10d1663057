import { subjectKey } from "../store/alarms";
import { PersonError, type Db } from "../store/database";
import {
  affectedLabel,
  affectServices,
  alarmsOfIncident,
  incidentById,
  mergeIncident,
  moveAlarms,
  noteIncident,
  openIncident,
  tellApart,
  tellTogether,
  type IncidentRow,
} from "../store/incidents";
import { refresh, type Affected } from "./refresh";
import { subjectOf } from "../causes/told";

const found = (db: Db, id: number): IncidentRow => {
  const row = incidentById(db, id);
  if (!row) throw new PersonError(`There is no incident ${id}.`);
  if (row.merged_into !== null) throw new PersonError(`Incident ${id} was merged into incident ${row.merged_into}.`);
  return row;
};

const subjectsIn = (db: Db, id: number) => [
  ...new Set(alarmsOfIncident(db, id).map((alarm) => subjectKey(subjectOf(alarm)))),
];

/** Puts an incident into another, as a person says; what told their alarms apart is forgotten. Call inside a transaction. */
export function mergeByHand(db: Db, id: number, into: number, by: string, affected: Affected, atMs: number): void {
  const one = found(db, id);
  const other = found(db, into);
  if (id === into) throw new PersonError("An incident cannot be merged into itself. Choose another.");
  tellTogether(db, subjectsIn(db, id), subjectsIn(db, into));
  mergeIncident(db, id, into, atMs);
  noteIncident(db, id, "merged", `Merged into incident ${into}: ${other.title}`, by, atMs);
  noteIncident(db, into, "merged", `Incident ${id} merged into this one: ${one.title}`, by, atMs);
  refresh(db, into, affected, atMs);
}

/**
 * Makes some alarms of an incident one of their own, as a person says; from then on they are not put together by
 * themselves. Call inside a transaction.
 * @returns the new incident
 */
export function splitByHand(
  db: Db,
  id: number,
  alarmIds: readonly number[],
  by: string,
  affected: Affected,
  atMs: number,
): number {
  const incident = found(db, id);
  const alarms = alarmsOfIncident(db, id);
  const chosen = alarms.filter((alarm) => alarmIds.includes(alarm.id));
  const left = alarms.filter((alarm) => !alarmIds.includes(alarm.id));
  const [first] = chosen;
  if (!first) throw new PersonError("Choose the alarms that have nothing to do with the others.");
  if (!left.length) throw new PersonError("Leave at least one alarm in the incident.");
  const services = chosen.flatMap((alarm) => affected.servicesOf(subjectOf(alarm)));
  const unique = [...new Map(services.map((one) => [one.id, one])).values()];
  const subject = subjectKey(subjectOf(first));
  const made = openIncident(
    db,
    { subject, title: affectedLabel(unique) ?? first.subject, severity: first.worst },
    Math.min(...chosen.map((alarm) => alarm.raised_at)),
  );
  moveAlarms(
    db,
    id,
    made,
    chosen.map((alarm) => alarm.id),
    `${by} took it out of incident ${id}`,
  );
  affectServices(
    db,
    made,
    unique.map((one) => one.id),
  );
  for (const one of new Set(chosen.map((alarm) => subjectKey(subjectOf(alarm)))))
    for (const other of new Set(left.map((alarm) => subjectKey(subjectOf(alarm))))) tellApart(db, one, other, by, atMs);
  noteIncident(db, made, "opened", `Split off from incident ${id}: ${incident.title}`, by, atMs);
  noteIncident(
    db,
    id,
    "split",
    `${chosen.length} ${chosen.length === 1 ? "alarm" : "alarms"} split off into incident ${made}`,
    by,
    atMs,
  );
  refresh(db, made, affected, atMs);
  refresh(db, id, affected, atMs);
  return made;
}
