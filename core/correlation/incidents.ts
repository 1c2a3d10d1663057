import { MINUTE_MS } from "../time/windows";
import { severityRank, type Severity } from "../alarms/severity";

/**
 * An alarm that joins later than this after an incident was resolved opens a new one; earlier, it opens the old one
 * again.
 */
export const SPELL_MS = 15 * MINUTE_MS;

/** Alarms alike that come within this of each other are one affair. */
export const CROWD_MS = 5 * MINUTE_MS;

/** Alarms below this severity do not open an incident by themselves; they join one that is open. */
export const OPENING_SEVERITY: Severity = "minor";

/** An incident that is open or was lately, as an alarm that looks for its place sees it. */
export interface IncidentState {
  id: number;
  /** Services it affects. */
  services: readonly number[];
  /** Why its alarmed components have to do with that of the alarm: the same one, or one relies on the other. */
  related: string | undefined;
  /** Why the alarm is like its first one: of the same metric at the same site. */
  alike?: string | undefined;
  /** Why the alarm may be the same trouble again: it is one of its alarms, or its likeliest cause would show so. */
  again?: string | undefined;
  /** The alarm begins long after its last one, and its cause is known and would not show so. */
  isAnother?: boolean;
  openedMs: number;
  resolvedMs: number | null;
}

export interface Placement {
  incidentId: number | undefined;
  action: "open" | "join" | "reopen" | "leave";
  why: string;
}

/**
 * The one incident an alarm belongs to. Best is an open one to which it is related; next one of its service, where both
 * affect that single service: what many share would draw everything into one heap. What no service needs joins what
 * went wrong in the same way at the same site within five minutes. Failing an open one, one resolved within the spell
 * is opened again where this is the same trouble again: what only relies on something that was in it is another affair.
 * Else a new one is opened, whatever the number of services it affects.
 * @param label what the alarm affects, for the reason
 */
export function placeAlarm(
  alarm: { atMs: number; severity: Severity; services: readonly number[] },
  label: string,
  incidents: readonly IncidentState[],
): Placement {
  const [only] = alarm.services;
  const single = (one: IncidentState) =>
    alarm.services.length === 1 && one.services.length === 1 && one.services[0] === only && !one.isAnother;
  // What no service needs has no better company than what went wrong in the same way, at the same place and time.
  const crowd = (one: IncidentState) =>
    alarm.services.length === 0 &&
    one.services.length === 0 &&
    one.alike !== undefined &&
    Math.abs(alarm.atMs - one.openedMs) <= CROWD_MS;
  const best = (list: readonly IncidentState[]) =>
    list
      .filter((one) => one.related !== undefined || single(one) || crowd(one))
      .sort((a, b) => Number(b.related !== undefined) - Number(a.related !== undefined) || b.openedMs - a.openedMs)[0];
  const open = best(incidents.filter((one) => one.resolvedMs === null));
  if (open)
    return {
      incidentId: open.id,
      action: "join",
      why: open.related ?? open.alike ?? `${label} already has an open incident`,
    };
  if (severityRank(alarm.severity) < severityRank(OPENING_SEVERITY))
    return { incidentId: undefined, action: "leave", why: `${alarm.severity} alarms open no incident by themselves` };
  const recent = incidents
    .filter((one) => one.again !== undefined && one.resolvedMs !== null && alarm.atMs - one.resolvedMs <= SPELL_MS)
    .sort((a, b) => b.openedMs - a.openedMs)[0];
  if (recent)
    return {
      incidentId: recent.id,
      action: "reopen",
      why: `${recent.again} less than 15 min before`,
    };
  return { incidentId: undefined, action: "open", why: `first alarm affecting ${label} within 15 min` };
}

/** One alarm as the ranking of causes sees it. */
export interface SuspectAlarm {
  alarmId: number;
  /** Name of what the alarm is on. */
  subjectName: string;
  severity: Severity;
  raisedMs: number;
  text: string;
  /** How many of the other alarmed components reach this one over relations. */
  dependants: number;
  /** It says that a service is hurt: that is what is to be explained, never the cause. */
  isHarm?: boolean;
}

export interface Suspect {
  alarmId: number;
  score: number;
  reasons: string[];
}

/** What a service suffers ranks behind everything that could be the cause. */
const HARM = -1000;

/**
 * Ranks the alarms of one incident by how well each explains the others: relied on by other alarmed components
 * (3 points each), raised first (2), of the worst severity (1). Every point comes with its reason.
 */
export function rankSuspects(alarms: readonly SuspectAlarm[]): Suspect[] {
  const first = Math.min(...alarms.map((alarm) => alarm.raisedMs));
  const worst = Math.max(...alarms.map((alarm) => severityRank(alarm.severity)));
  return alarms
    .map((alarm) => {
      const reasons: string[] = [];
      let score = alarm.isHarm ? HARM : 0;
      if (alarm.dependants > 0) {
        score += 3 * alarm.dependants;
        reasons.push(
          `${alarm.dependants} other alarmed ${alarm.dependants === 1 ? "component relies" : "components rely"} on ${alarm.subjectName}`,
        );
      }
      if (alarm.raisedMs === first) {
        score += 2;
        reasons.push(alarms.length > 1 ? `its alarm came first of ${alarms.length}` : "it has the only alarm");
      }
      if (severityRank(alarm.severity) === worst) {
        score += 1;
        reasons.push(
          alarms.length > 1 ? `no other alarm is worse than ${alarm.severity}` : `the alarm is ${alarm.severity}`,
        );
      }
      return { alarmId: alarm.alarmId, score, reasons };
    })
    .sort((a, b) => b.score - a.score || a.alarmId - b.alarmId);
}
