import type { Severity } from "#core/alarms/severity";
import type { Moment } from "#core/telling/rule";
import { prepared, type Db } from "./database";

export type MessageState = "due" | "held" | "sending" | "sent" | "refused" | "given up" | "dropped";

/** A message, from the decision to its end. */
export interface MessageRow {
  id: number;
  incidentId: number | null;
  ruleId: number | null;
  shiftId: number | null;
  channelId: number | null;
  channel: string;
  address: string;
  personId: number | null;
  name: string;
  moment: Moment | "digest" | "shift" | "test";
  version: number;
  severity: Severity;
  cause: string | null;
  takenBy: string | null;
  why: string;
  madeAt: number;
  state: MessageState;
  tries: number;
  nextAt: number;
  endedAt: number | null;
  answer: string;
  subject: string;
  digestId: number | null;
}

const COLUMNS = `m.id, m.incident_id AS incidentId, m.rule_id AS ruleId, m.shift_id AS shiftId, m.channel_id AS channelId, m.channel, m.address,
  m.person_id AS personId, m.name, m.moment, m.version, m.severity, m.cause, m.taken_by AS takenBy, m.why,
  m.made_at AS madeAt, m.state, m.tries, m.next_at AS nextAt, m.ended_at AS endedAt, m.answer, m.subject,
  m.digest_id AS digestId`;

export type NewMessage = Omit<MessageRow, "id" | "tries" | "endedAt" | "answer" | "subject" | "digestId">;

/** Puts a message into the outbox. @returns its id, or undefined where the same is there already */
export function addMessage(db: Db, one: NewMessage): number | undefined {
  const { changes, lastInsertRowid } = prepared(
    db,
    `INSERT OR IGNORE INTO message (incident_id, rule_id, shift_id, channel_id, channel, address, person_id, name, moment, version,
       severity, cause, taken_by, why, made_at, state, next_at)
     VALUES (:incidentId, :ruleId, :shiftId, :channelId, :channel, :address, :personId, :name, :moment, :version,
       :severity, :cause, :takenBy, :why, :madeAt, :state, :nextAt)`,
  ).run(one);
  return changes ? Number(lastInsertRowid) : undefined;
}

/** Messages that are to be sent now, the oldest first. */
export const dueMessages = (db: Db, nowMs: number, limit: number): MessageRow[] =>
  prepared<MessageRow>(
    db,
    `SELECT ${COLUMNS} FROM message m WHERE m.state = 'due' AND m.next_at <= ? ORDER BY m.id LIMIT ?`,
  ).all(nowMs, limit);

/** Whether an earlier message of the same thread has not ended: later ones wait for it. */
export const waitsForEarlier = (
  db: Db,
  one: Pick<MessageRow, "id" | "incidentId" | "channelId" | "address">,
): boolean =>
  one.incidentId !== null &&
  prepared<{ found: number }>(
    db,
    `SELECT EXISTS (SELECT 1 FROM message WHERE incident_id = ? AND channel_id IS ? AND address = ? AND id < ?
       AND state IN ('due', 'sending')) AS found`,
  ).get(one.incidentId, one.channelId, one.address, one.id)?.found === 1;

/** Takes it down that a message is being handed over, before it is. */
export function beginSending(db: Db, id: number): void {
  prepared(db, "UPDATE message SET state = 'sending', tries = tries + 1 WHERE id = ?").run(id);
}

export interface SendingEnd {
  state: MessageState;
  answer: string;
  subject: string;
  atMs: number;
  tookMs: number;
  nextAt: number;
  outcome: string;
}

/** How a try went. */
export function endSending(db: Db, id: number, end: SendingEnd): void {
  prepared(
    db,
    `UPDATE message SET state = :state, answer = :answer, subject = CASE :subject WHEN '' THEN subject ELSE :subject END,
       ended_at = CASE WHEN :state = 'due' THEN NULL ELSE :at END, next_at = :nextAt WHERE id = :id`,
  ).run({ id, state: end.state, answer: end.answer, subject: end.subject, at: end.atMs, nextAt: end.nextAt });
  prepared(db, "INSERT INTO message_try (message_id, at, took_ms, outcome, answer) VALUES (?, ?, ?, ?, ?)").run(
    id,
    end.atMs,
    end.tookMs,
    end.outcome,
    end.answer,
  );
}

/**
 * Messages that were being handed over when the process ended, or whose answer could not be kept: they are handed over
 * again under the same name.
 * @param except those that are being handed over now
 */
export const takeUpAgain = (db: Db, nowMs: number, except: readonly number[]): number =>
  prepared(
    db,
    "UPDATE message SET state = 'due', next_at = ? WHERE state = 'sending' AND id NOT IN (SELECT value FROM json_each(?))",
  ).run(nowMs, JSON.stringify(except)).changes;

/** What is held for a digest, by address, once the instant of its digest has come. */
export const heldMessages = (db: Db, nowMs: number): MessageRow[] =>
  prepared<MessageRow>(
    db,
    `SELECT ${COLUMNS} FROM message m WHERE m.state = 'held' AND m.next_at <= ? ORDER BY m.id LIMIT 20000`,
  ).all(nowMs);

/** Notes that a digest tells of messages that were held. */
export function coverByDigest(db: Db, ids: readonly number[], digestId: number | null, atMs: number): void {
  prepared(
    db,
    `UPDATE message SET state = 'dropped', digest_id = ?, ended_at = ?, answer = CASE WHEN ? IS NULL THEN 'over before its digest was due' ELSE 'told in a digest' END
     WHERE id IN (SELECT value FROM json_each(?))`,
  ).run(digestId, atMs, digestId, JSON.stringify(ids));
}

/** Messages that a digest tells of. */
export const coveredBy = (db: Db, digestId: number): MessageRow[] =>
  prepared<MessageRow>(db, `SELECT ${COLUMNS} FROM message m WHERE m.digest_id = ? ORDER BY m.id`).all(digestId);

/** What was told of an incident, or is about to be, in order. */
export const messagesOfIncident = (db: Db, incidentId: number): MessageRow[] =>
  prepared<MessageRow>(db, `SELECT ${COLUMNS} FROM message m WHERE m.incident_id = ? ORDER BY m.id`).all(incidentId);

/** What was told of some incidents, or is about to be, in order. */
export function messagesOfIncidents(db: Db, incidentIds: readonly number[]): Map<number, MessageRow[]> {
  const found = new Map<number, MessageRow[]>();
  for (const row of prepared<MessageRow & { incidentId: number }>(
    db,
    `SELECT ${COLUMNS} FROM message m WHERE m.incident_id IN (SELECT value FROM json_each(?)) ORDER BY m.id`,
  ).all(JSON.stringify(incidentIds))) {
    const known = found.get(row.incidentId);
    if (known) known.push(row);
    else found.set(row.incidentId, [row]);
  }
  return found;
}

export const messageById = (db: Db, id: number): MessageRow | undefined =>
  prepared<MessageRow>(db, `SELECT ${COLUMNS} FROM message m WHERE m.id = ?`).get(id);

/** How many messages went to a person since an instant, digests aside. */
export const countSince = (db: Db, personId: number, sinceMs: number): number =>
  prepared<{ count: number }>(
    db,
    `SELECT count(*) AS count FROM message WHERE person_id = ? AND made_at > ? AND state NOT IN ('held', 'dropped')
       AND moment NOT IN ('digest', 'shift', 'test')`,
  ).get(personId, sinceMs)?.count ?? 0;

/** Forgets messages that were made before an instant and have ended. */
export function forgetMessages(db: Db, beforeMs: number): void {
  prepared(db, "DELETE FROM message WHERE made_at < ? AND state NOT IN ('due', 'held', 'sending')").run(beforeMs);
}

/** How many messages went to an address of a channel since an instant, digests aside. */
export const countTo = (
  db: Db,
  { channelId, address }: { channelId: number; address: string },
  sinceMs: number,
): number =>
  prepared<{ count: number }>(
    db,
    `SELECT count(*) AS count FROM message WHERE channel_id = ? AND address = ? AND made_at > ?
       AND state NOT IN ('held', 'dropped') AND moment NOT IN ('digest', 'shift', 'test')`,
  ).get(channelId, address, sinceMs)?.count ?? 0;

export interface MessageQuestion {
  fromMs: number;
  toMs: number;
  state?: string;
  text?: string;
  incidentId?: number;
  limit: number;
}

/** Messages of a span, the newest first. */
export const messagesIn = (db: Db, { fromMs, toMs, state = "", text = "", incidentId, limit }: MessageQuestion) =>
  prepared<MessageRow & { title: string | null }>(
    db,
    `SELECT ${COLUMNS}, i.title FROM message m LEFT JOIN incident i ON i.id = m.incident_id
     WHERE m.made_at BETWEEN :fromMs AND :toMs AND (:state = '' OR m.state = :state)
       AND (:incident IS NULL OR m.incident_id = :incident)
       AND (:text = '' OR instr(lower(m.name || ' ' || m.address || ' ' || m.channel || ' ' || m.subject || ' ' || m.answer || ' ' || coalesce(i.title, '')), lower(:text)) > 0)
     ORDER BY m.id DESC LIMIT :limit`,
  ).all({ fromMs, toMs, state, text, incident: incidentId ?? null, limit });

/** How many there are of each state in a span. */
export const messageCounts = (db: Db, fromMs: number, toMs: number): { state: MessageState; count: number }[] =>
  prepared<{ state: MessageState; count: number }>(
    db,
    "SELECT state, count(*) AS count FROM message WHERE made_at BETWEEN ? AND ? GROUP BY state",
  ).all(fromMs, toMs);

export interface TryRow {
  at: number;
  tookMs: number;
  outcome: string;
  answer: string;
}

export const triesOf = (db: Db, messageId: number): TryRow[] =>
  prepared<TryRow>(
    db,
    "SELECT at, took_ms AS tookMs, outcome, answer FROM message_try WHERE message_id = ? ORDER BY rowid",
  ).all(messageId);
