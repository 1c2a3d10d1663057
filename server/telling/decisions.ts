import { severityRank, type Severity } from "#core/alarms/severity";
import { priorityOf } from "#core/correlation/priority";
import { RuleBook, whoIsDue, type Due, type IncidentNow, type Told } from "#core/telling/decide";
import { stretchesOf } from "#core/telling/week-hours";
import type { Moment, TellingRule } from "#core/telling/rule";
import { DAY_MS, HOUR_MS } from "#core/time/windows";
import { hurtServices } from "../pages/incident/evidence";
import type { Db } from "../store/database";
import { componentsById } from "../store/estate";
import { sitesOfIncidents, type IncidentRow } from "../store/incidents";
import { addMessage, countSince, countTo, messagesOfIncidents, type MessageRow } from "../store/outbox";
import { listServices } from "../store/services";
import type { People } from "./directory";

/** A channel that nobody in particular reads gets at most so many messages an hour; the rest come as a digest. */
const MOST_OF_CHANNEL = 200;
const RELIES = { isHurt: false, severity: "warning" as Severity };

/** As much of some incidents as decides who is told of them. */
export function incidentsNow(db: Db, rows: readonly IncidentRow[]): IncidentNow[] {
  const ids = rows.map((row) => row.id);
  const hurt = hurtServices(db, ids);
  const uids = new Map(listServices(db).map((one) => [one.id, one.uid]));
  const kinds = new Map(
    componentsById(
      db,
      rows.flatMap((row) => row.causes[0]?.componentId ?? []),
    ).map((one) => [one.id, one.kind]),
  );
  const sites = sitesOfIncidents(db, ids);
  return rows.map((row) => {
    const [likeliest] = row.causes;
    const cause = row.confirmed
      ? { name: row.confirmed.name, kind: kinds.get(row.confirmed.componentId ?? 0) ?? "", probability: 1 }
      : likeliest
        ? {
            name: likeliest.name,
            kind: likeliest.line ? "line" : (kinds.get(likeliest.componentId ?? 0) ?? "service"),
            probability: likeliest.probability,
          }
        : null;
    return {
      id: row.id,
      openedMs: row.opened_at,
      resolvedMs: row.resolved_at,
      severity: row.severity,
      worst: row.worst,
      priority: row.priority ?? priorityOf(row.services.map(({ id }) => hurt.get(`${row.id} ${id}`) ?? RELIES)),
      services: row.services.flatMap(({ id }) => uids.get(id) ?? []),
      sites: sites.get(row.id) ?? [],
      cause,
      takenBy: row.taken_by,
      takenMs: row.taken_at,
    };
  });
}

const toldOf = (row: MessageRow): Told => ({
  address: {
    key: `${row.channelId} ${row.address}`,
    channelId: row.channelId ?? 0,
    address: row.address,
    personId: row.personId,
    name: row.name,
  },
  ruleId: row.ruleId ?? 0,
  moment: row.moment as Moment,
  severity: row.severity,
  cause: row.cause,
  takenBy: row.takenBy,
  atMs: row.madeAt,
});

/**
 * Decides for some incidents who has to be told now, and puts it into the outbox. Call inside a transaction.
 * @returns how many messages were put there
 */
export function decide(
  db: Db,
  rows: readonly IncidentRow[],
  rules: readonly TellingRule[],
  people: People,
  nowMs: number,
): number {
  let count = 0;
  const book = new RuleBook(rules, nowMs);
  const before = messagesOfIncidents(
    db,
    rows.map((row) => row.id),
  );
  for (const incident of incidentsNow(db, rows)) {
    const told = (before.get(incident.id) ?? []).map(toldOf);
    for (const due of whoIsDue(book, incident, told, people, nowMs)) if (post(db, due, people, nowMs)) count++;
  }
  return count;
}

/** Puts one message into the outbox: to be sent now, or held for a digest. */
function post(db: Db, due: Due, people: People, nowMs: number): boolean {
  const { address } = due;
  const channel = people.channels.get(address.channelId);
  if (!channel) return false;
  const held = heldUntil(db, due, people, nowMs);
  return (
    addMessage(db, {
      incidentId: due.incidentId,
      ruleId: due.ruleId,
      shiftId: null,
      channelId: channel.id,
      channel: channel.name,
      address: address.address,
      personId: address.personId,
      name: address.name,
      moment: due.moment,
      version: due.version,
      severity: due.severity,
      cause: due.cause,
      takenBy: due.takenBy,
      why: held === undefined ? due.why : `${due.why}; held for a digest: ${held.why}`,
      madeAt: nowMs,
      state: held === undefined ? "due" : "held",
      nextAt: held?.untilMs ?? nowMs,
    }) !== undefined
  );
}

const fullHourAfter = (ms: number) => Math.floor(ms / HOUR_MS) * HOUR_MS + HOUR_MS;

/** Why a message is not sent by itself and until when it is held; undefined where it goes out now. */
function heldUntil(db: Db, due: Due, people: People, nowMs: number): { untilMs: number; why: string } | undefined {
  const { address, how, severity } = due;
  if (how === "digest") return { untilMs: fullHourAfter(nowMs), why: "the rule gathers" };
  if (address.personId === null) {
    const sent = countTo(db, address, nowMs - HOUR_MS);
    return sent < MOST_OF_CHANNEL
      ? undefined
      : { untilMs: fullHourAfter(nowMs), why: `${MOST_OF_CHANNEL} messages within an hour` };
  }
  const { quiet, zone, mostAnHour } = people.contactOf(address.personId);
  const stretch =
    quiet && stretchesOf(quiet, zone, nowMs, nowMs + 1).find((one) => one.fromMs <= nowMs && nowMs < one.toMs);
  if (stretch && severityRank(severity) < severityRank("critical"))
    return { untilMs: Math.min(stretch.toMs, nowMs + DAY_MS), why: "their quiet hours" };
  return countSince(db, address.personId, nowMs - HOUR_MS) < mostAnHour
    ? undefined
    : { untilMs: fullHourAfter(nowMs), why: `${mostAnHour} messages within an hour` };
}
