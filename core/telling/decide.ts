import { severityRank, type Severity } from "../alarms/severity";
import { kindMatches } from "../catalogue/kinds";
import { MINUTE_MS } from "../time/windows";
import type { Moment, Recipient, TellingRule } from "./rule";
import { isWithin } from "./week-hours";

/** As much of an incident as decides who is told of it. */
export interface IncidentNow {
  id: number;
  openedMs: number;
  resolvedMs: number | null;
  severity: Severity;
  worst: Severity;
  priority: number;
  /** Uids of services that it affects. */
  services: readonly string[];
  sites: readonly string[];
  cause: { name: string; kind: string; probability: number } | null;
  takenBy: string | null;
  takenMs: number | null;
}

/** Where a message goes: a channel, and an address in it. */
export interface Address {
  /** The same for the same address of the same channel. */
  key: string;
  channelId: number;
  address: string;
  /** Whose it is; null for a channel that nobody in particular reads. */
  personId: number | null;
  name: string;
}

/** What was told of an incident to one address, or is about to be. */
export interface Told {
  address: Address;
  ruleId: number;
  moment: Moment;
  severity: Severity;
  cause: string | null;
  takenBy: string | null;
  atMs: number;
}

/** Where the recipients of rules are found at an instant. */
export interface Directory {
  addressesOf: (recipient: Recipient) => readonly Address[];
}

/** Something that has to be told now. */
export interface Due {
  incidentId: number;
  ruleId: number;
  address: Address;
  moment: Moment;
  how: TellingRule["how"];
  /** How many messages about this incident this address has got with it. */
  version: number;
  severity: Severity;
  cause: string | null;
  takenBy: string | null;
  why: string;
}

/** So sure must a cause be to be told as known. */
export const KNOWN = 0.6;
/** Between two messages of one thread there is so much time, unless it is over. */
const LEAST_GAP_MS = 2 * MINUTE_MS;
/** An incident is told of at most so often to one address. */
export const MOST_VERSIONS = 30;
/** Charts reach to five minutes after the opening by then. */
const CHARTS_AFTER_MS = 6 * MINUTE_MS;

/** The rules that are on, as they hold at an instant: made once for all incidents of a tick. */
export class RuleBook {
  private readonly general: TellingRule[] = [];
  private readonly byService = new Map<string, TellingRule[]>();
  private readonly byId = new Map<number, TellingRule>();
  private readonly inHours = new Set<number>();

  constructor(rules: readonly TellingRule[], nowMs: number) {
    for (const rule of rules) {
      if (!rule.isOn) continue;
      this.byId.set(rule.id, rule);
      if (rule.hours === null || isWithin(rule.hours, rule.zone, nowMs)) this.inHours.add(rule.id);
      if (rule.services.length === 0) this.general.push(rule);
      for (const uid of rule.services) {
        const known = this.byService.get(uid);
        if (known) known.push(rule);
        else this.byService.set(uid, [rule]);
      }
    }
  }

  /** Rules that may have to do with an incident: by its services, and those that told of it before. */
  for(incident: IncidentNow, told: readonly Told[]): Set<TellingRule> {
    return new Set([
      ...this.general,
      ...incident.services.flatMap((uid) => this.byService.get(uid) ?? []),
      ...told.flatMap((one) => this.byId.get(one.ruleId) ?? []),
    ]);
  }

  /** Whether it is an hour in which a rule tells. */
  tellsNow = ({ id }: TellingRule): boolean => this.inHours.has(id);
}

/** Whether a rule is about an incident as it stands now, its hours aside. */
function concerns(rule: TellingRule, incident: IncidentNow): boolean {
  return (
    incident.openedMs >= rule.sinceMs &&
    severityRank(incident.worst) >= severityRank(rule.leastSeverity) &&
    incident.priority <= rule.leastPriority &&
    isAmong(rule.services, incident.services) &&
    isAmong(rule.sites, incident.sites) &&
    (rule.causeKinds.length === 0 ||
      (incident.cause !== null && rule.causeKinds.some((one) => kindMatches(one, incident.cause?.kind ?? ""))))
  );
}

/**
 * Whether a rule would have told of an incident, as it turned out: it is about it in the hour in which its delay was over,
 * and it was not over before.
 */
export function wouldTell(rule: TellingRule, incident: IncidentNow): boolean {
  const whole = { ...rule, isOn: true, sinceMs: 0 };
  const dueMs = isCertain(rule, incident) ? incident.openedMs : incident.openedMs + rule.delayMinutes * MINUTE_MS;
  const book = new RuleBook([whole], dueMs);
  return (
    book.for(incident, []).size > 0 &&
    book.tellsNow(whole) &&
    concerns(whole, incident) &&
    (incident.resolvedMs === null || incident.resolvedMs > dueMs)
  );
}

const isAmong = (asked: readonly string[], there: readonly string[]) =>
  asked.length === 0 || there.some((one) => asked.includes(one));

const isCertain = (rule: TellingRule, { cause }: IncidentNow) =>
  cause !== null && cause.probability * 100 >= rule.certainPercent;

/** When a rule first tells of an incident: after its delay, or now when the cause is certain. */
const firstDue = (rule: TellingRule, incident: IncidentNow, nowMs: number) =>
  isCertain(rule, incident) ? nowMs : incident.openedMs + rule.delayMinutes * MINUTE_MS;

/**
 * Who has to be told of an incident now, and what: one thread an address, whichever rules name it. What is over before it
 * was first told is told to nobody.
 * @param told what was told of it so far, in order
 */
export function whoIsDue(
  book: RuleBook,
  incident: IncidentNow,
  told: readonly Told[],
  directory: Directory,
  nowMs: number,
): Due[] {
  const due = new Map<string, Due>();
  const threads = new Map<string, Told[]>();
  for (const one of told) {
    const thread = threads.get(one.address.key);
    if (thread) thread.push(one);
    else threads.set(one.address.key, [one]);
  }
  const add = (rule: TellingRule, address: Address, moment: Moment | undefined, step = 0) => {
    const { length } = threads.get(address.key) ?? [];
    if (moment === undefined || due.has(address.key) || length >= MOST_VERSIONS) return;
    due.set(address.key, { ...dueOf(rule, incident, address, moment, step), version: length + 1 });
  };
  for (const rule of book.for(incident, told)) {
    if (incident.openedMs < rule.sinceMs) continue;
    const own = told.filter((one) => one.ruleId === rule.id);
    // Who was told stays in the thread, whoever is on call by now.
    for (const thread of threads.values())
      if (thread.some((one) => one.ruleId === rule.id))
        add(rule, (thread[0] as Told).address, further(rule, incident, thread, nowMs));
    if (incident.resolvedMs !== null || !book.tellsNow(rule) || !concerns(rule, incident)) continue;
    // Who comes on call later is not told of what is in good hands.
    const isNews = own.length === 0 || incident.takenBy === null;
    if (isNews && nowMs >= firstDue(rule, incident, nowMs))
      for (const address of addressesOf(rule.to, directory))
        if (!threads.has(address.key)) add(rule, address, "opened");
    for (const [index, step] of rule.escalation.entries())
      if (own[0] && incident.takenBy === null && nowMs >= own[0].atMs + step.afterMinutes * MINUTE_MS)
        for (const address of addressesOf(step.to, directory))
          if (!threads.has(address.key)) add(rule, address, "unclaimed", index + 1);
  }
  return [...due.values()];
}

const addressesOf = (to: readonly Recipient[], directory: Directory) => to.flatMap((one) => directory.addressesOf(one));

/** A further message of a thread, when something has happened that its rule tells of. */
function further(rule: TellingRule, incident: IncidentNow, thread: readonly Told[], nowMs: number): Moment | undefined {
  const last = thread.at(-1) as Told;
  const wants = (moment: Moment) => (rule.moments.includes(moment) ? moment : undefined);
  const isOver = last.moment === "resolved";
  if (incident.resolvedMs !== null) return isOver ? undefined : wants("resolved");
  if (isOver) return wants("reopened");
  if (nowMs - last.atMs < LEAST_GAP_MS) return undefined;
  const since = thread.slice(thread.findLastIndex((one) => one.moment === "reopened" || one.moment === "opened"));
  const worst = Math.max(...since.map((one) => severityRank(one.severity)));
  if (severityRank(incident.severity) > worst) return wants("worse");
  const { cause } = incident;
  if (cause && cause.probability >= KNOWN && !since.some((one) => one.cause === cause.name)) {
    const known = wants("cause");
    if (known) return known;
  }
  // Nobody has to be told what they did themselves.
  if (incident.takenBy !== last.takenBy && incident.takenBy !== last.address.name) {
    const handed = wants("handed");
    if (handed) return handed;
  }
  if (!since.some((one) => one.moment === "charts") && nowMs - incident.openedMs >= CHARTS_AFTER_MS) {
    const early = (since[0] as Told).atMs - incident.openedMs < CHARTS_AFTER_MS;
    if (early && wants("charts")) return "charts";
  }
  if (severityRank(incident.severity) < severityRank(last.severity)) return wants("eased");
  return undefined;
}

function dueOf(
  rule: TellingRule,
  incident: IncidentNow,
  address: Address,
  moment: Moment,
  step: number,
): Omit<Due, "version"> {
  const { cause } = incident;
  return {
    incidentId: incident.id,
    ruleId: rule.id,
    address,
    moment,
    how: rule.how,
    severity: incident.resolvedMs === null ? incident.severity : incident.worst,
    cause: cause && cause.probability >= KNOWN ? cause.name : null,
    takenBy: incident.takenBy,
    why: step === 0 ? `rule “${rule.name}”` : `rule “${rule.name}”, step ${step} of its escalation: nobody took it`,
  };
}
