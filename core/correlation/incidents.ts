import { MINUTE_MS } from "../time/windows";
import { severityRank, type Severity } from "../alarms/severity";

/** An alarm that joins later than this after an incident was resolved opens a new one; earlier, it opens the old one again. */
export const SPELL_MS = 15 * MINUTE_MS;

/** Alarms below this severity do not open an incident by themselves; they join one that is open. */
export const OPENING_SEVERITY: Severity = "minor";

export interface IncidentState {
  id: number;
  /** Affected service, or the alarmed component when no service is affected. */
  subject: string;
  resolvedMs: number | null;
}

export interface JoinDecision {
  subject: string;
  incidentId: number | undefined;
  action: "open" | "join" | "reopen" | "leave";
  why: string;
}

/**
 * Which incidents an alarm belongs to: one for each service it affects, or one for the component itself when it
 * affects none. It joins the open incident of that subject, opens again one resolved within the spell, or opens a new one.
 */
export function placeAlarm(
  alarm: { atMs: number; severity: Severity },
  subjects: readonly { subject: string; label: string }[],
  incidents: readonly IncidentState[],
): JoinDecision[] {
  return subjects.map(({ subject, label }) => {
    const own = incidents.filter((incident) => incident.subject === subject);
    const open = own.find((incident) => incident.resolvedMs === null);
    if (open) return { subject, incidentId: open.id, action: "join", why: `${label} already has an open incident` };
    if (severityRank(alarm.severity) < severityRank(OPENING_SEVERITY))
      return { subject, incidentId: undefined, action: "leave", why: `${alarm.severity} alarms open no incident of their own` };
    const recent = own
      .filter((incident) => incident.resolvedMs !== null && alarm.atMs - incident.resolvedMs <= SPELL_MS)
      .sort((a, b) => (b.resolvedMs as number) - (a.resolvedMs as number))[0];
    if (recent) return { subject, incidentId: recent.id, action: "reopen", why: `${label} was in trouble less than 15 minutes before` };
    return { subject, incidentId: undefined, action: "open", why: `first alarm that affects ${label} in this spell` };
  });
}

/** One alarm as the ranking of causes sees it. */
export interface SuspectAlarm {
  alarmId: number;
  componentId: number;
  componentName: string;
  severity: Severity;
  raisedMs: number;
  text: string;
  /** How many of the other alarmed components reach this one over relations. */
  dependants: number;
}

export interface Suspect {
  alarmId: number;
  componentId: number;
  score: number;
  reasons: string[];
}

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
      let score = 0;
      if (alarm.dependants > 0) {
        score += 3 * alarm.dependants;
        reasons.push(`${alarm.dependants} other alarmed ${alarm.dependants === 1 ? "component relies" : "components rely"} on ${alarm.componentName}`);
      }
      if (alarm.raisedMs === first) {
        score += 2;
        reasons.push(alarms.length > 1 ? `its alarm came first of ${alarms.length}` : "it is the only component with an alarm");
      }
      if (severityRank(alarm.severity) === worst) {
        score += 1;
        reasons.push(alarms.length > 1 ? `no other alarm is worse than ${alarm.severity}` : `the alarm is ${alarm.severity}`);
      }
      return { alarmId: alarm.alarmId, componentId: alarm.componentId, score, reasons };
    })
    .sort((a, b) => b.score - a.score || a.alarmId - b.alarmId);
}
