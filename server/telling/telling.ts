import { createHmac } from "node:crypto";
import { MINUTE_MS, HOUR_MS, DAY_MS } from "#core/time/windows";
import type { MessageTemplate } from "#core/telling/template";
import type { LiveEvent } from "../events";
import { channelById, type ChannelRow } from "../store/channels";
import { credentialById } from "../store/credentials";
import { PersonError, storeProblem, type Db } from "../store/database";
import { contactOf } from "../store/contacts";
import { incidentById, noteIncident, recentIncidents } from "../store/incidents";
import {
  addMessage,
  beginSending,
  coverByDigest,
  dueMessages,
  endSending,
  forgetMessages,
  heldMessages,
  messageById,
  takeUpAgain,
  waitsForEarlier,
  type MessageRow,
} from "../store/outbox";
import { listTellingRules } from "../store/telling";
import { mayBeUsedAt, type Vault } from "../vault/vault";
import type { Access } from "../vault/kinds";
import { answerOf, codeOf, GOOD_MS, type Answer, type AnswerKind } from "./answer-links";
import { decide } from "./decisions";
import { readDirectory } from "./directory";
import type { Job, JobEnd } from "./hand-over";
import { wayOf } from "./ways/registry";

/** Messages of one channel that are handed over at once. */
const AT_ONCE = 4;
const MOST_AT_ONCE = 16;
/** So many that are due are looked through for some that may go. */
const MOST_LOOKED_AT = 500;
/** Incidents that nothing happened to are looked at again so often, for delays and escalation. */
const LOOK_EVERY_MS = 15_000;
/** What was resolved so long ago is told of no more. */
const LATE_MS = HOUR_MS;
/** Waits between tries; the last one again and again. */
const WAITS_MS = [15_000, 30_000, MINUTE_MS, 2 * MINUTE_MS, 5 * MINUTE_MS, 10 * MINUTE_MS, 20 * MINUTE_MS] as const;
/** So long a message is tried. */
const PATIENCE_MS = DAY_MS;
/** Messages are kept on record so long. */
const KEPT_MS = 400 * DAY_MS;

export interface TellingParts {
  db: Db;
  now: () => number;
  emit: (event: LiveEvent) => void;
  reportProblem: (message: string) => void;
  vault: Pick<Vault, "use" | "note">;
  handOver: (job: Job) => Promise<JobEnd>;
  /** Where the pages are: https://ops.example */
  origin: string;
  /** What links in messages are signed with. */
  secret: Buffer;
}

/**
 * Tells people: decides with each tick who has to be told what, keeps it in the outbox, and hands it over, each thread in
 * order, again and again until it is heard, refused or a day old.
 */
export class Telling {
  private readonly touched = new Set<number>();
  /** Messages that are being handed over now, with their channels. */
  private readonly underWay = new Map<number, number>();
  private lookedMs = -Infinity;
  private forgotMs = -Infinity;
  private isStopped = false;
  private readonly key: Buffer;

  constructor(private readonly parts: TellingParts) {
    this.key = createHmac("sha256", parts.secret).update("links in messages").digest();
    takeUpAgain(parts.db, parts.now(), []);
  }

  /** Notes that something happened to an incident. */
  hear(incidentId: number): void {
    this.touched.add(incidentId);
  }

  /** Decides and hands over what is due. */
  work(nowMs: number): void {
    const { db } = this.parts;
    db.transaction(() => {
      this.decide(nowMs);
      this.gather(nowMs);
      if (nowMs - this.forgotMs > DAY_MS || nowMs < this.forgotMs) {
        this.forgotMs = nowMs;
        forgetMessages(db, nowMs - KEPT_MS);
      }
    })();
    this.dispatch(nowMs);
  }

  private decide(nowMs: number): void {
    const { db } = this.parts;
    const looksAtAll = nowMs - this.lookedMs >= LOOK_EVERY_MS || nowMs < this.lookedMs;
    if (!looksAtAll && this.touched.size === 0) return;
    const rules = listTellingRules(db).filter((one) => one.isOn);
    if (looksAtAll) {
      this.lookedMs = nowMs;
      // What was handed over while its answer could not be kept is handed over again under the same name.
      takeUpAgain(db, nowMs, [...this.underWay.keys()]);
    }
    if (rules.length) {
      const rows = recentIncidents(db, nowMs - LATE_MS);
      // What was told of and merged or resolved meanwhile is among the recent ones, or is told no more.
      decide(
        db,
        looksAtAll ? rows : rows.filter((row) => this.touched.has(row.id)),
        rules,
        readDirectory(db, nowMs),
        nowMs,
      );
    }
    this.touched.clear();
  }

  /** Makes digests of what was held, where their time has come. */
  private gather(nowMs: number): void {
    const { db } = this.parts;
    const byAddress = new Map<string, MessageRow[]>();
    for (const one of heldMessages(db, nowMs)) {
      const key = `${one.channelId} ${one.address}`;
      byAddress.set(key, [...(byAddress.get(key) ?? []), one]);
    }
    for (const held of byAddress.values()) {
      const [first] = held as [MessageRow];
      // What opened and ended while it was held is told of all the same: it happened.
      const id = addMessage(db, {
        incidentId: null,
        ruleId: null,
        shiftId: null,
        channelId: first.channelId,
        channel: first.channel,
        address: first.address,
        personId: first.personId,
        name: first.name,
        moment: "digest",
        version: 1,
        severity: first.severity,
        cause: null,
        takenBy: null,
        why: `${held.length} ${held.length === 1 ? "message was" : "messages were"} held`,
        madeAt: nowMs,
        state: "due",
        nextAt: nowMs,
      });
      if (id !== undefined)
        coverByDigest(
          db,
          held.map((one) => one.id),
          id,
          nowMs,
        );
    }
  }

  private dispatch(nowMs: number): void {
    if (this.isStopped) return;
    for (const message of dueMessages(this.parts.db, nowMs, MOST_LOOKED_AT)) {
      if (this.underWay.size >= MOST_AT_ONCE) return;
      const channelId = message.channelId ?? 0;
      const own = [...this.underWay.values()].filter((one) => one === channelId).length;
      if (own >= AT_ONCE || this.underWay.has(message.id) || waitsForEarlier(this.parts.db, message)) continue;
      const channel = message.channelId === null ? undefined : channelById(this.parts.db, message.channelId);
      void this.hand(message, channel, nowMs);
    }
  }

  /** Hands one message over and takes down how it went. A store that cannot be written to is said, not fatal. */
  private async hand(
    message: MessageRow,
    channel: ChannelRow | undefined,
    nowMs: number,
    template?: MessageTemplate,
  ): Promise<void> {
    this.underWay.set(message.id, message.channelId ?? 0);
    try {
      beginSending(this.parts.db, message.id);
      const end = await this.tried(message, channel, nowMs, template);
      if (this.isStopped) return;
      this.took(message, channel, end);
    } catch (error) {
      const problem = storeProblem(error);
      this.parts.reportProblem(problem ?? `A message could not be handed over: ${String(error)}`);
      // The next tick looks again: a store that takes nothing would have the same message begun again without an end.
      return;
    } finally {
      this.underWay.delete(message.id);
    }
    this.dispatch(this.parts.now());
  }

  private async tried(
    message: MessageRow,
    channel: ChannelRow | undefined,
    nowMs: number,
    template: MessageTemplate | undefined,
  ): Promise<JobEnd> {
    const failed = (outcome: "retry" | "refused", answer: string): JobEnd => ({
      outcome,
      answer,
      subject: "",
      sentence: "",
      tookMs: 0,
    });
    if (!channel) return failed("refused", "The channel was removed.");
    if (!channel.isOn) return failed("retry", "The channel is switched off.");
    try {
      const access = this.accessOf(channel);
      return await this.parts.handOver({
        asked: {
          messageId: message.id,
          incidentId: message.incidentId,
          shiftId: message.shiftId,
          moment: message.moment,
          to: message.name,
          why: message.why,
          nowMs,
          origin: this.parts.origin,
          links: this.linksOf(message, nowMs),
        },
        kind: channel.kind,
        settings: channel.settings,
        access,
        address: message.address,
        ...this.namesOf(message),
        version: message.version,
        ...(template ? { template } : {}),
      });
    } catch (error) {
      if (error instanceof PersonError) return failed("retry", error.message);
      throw error;
    }
  }

  /** Opens what a channel signs in or signs with, where it may be used there. */
  private accessOf(channel: ChannelRow): Access | undefined {
    const { db, vault } = this.parts;
    if (channel.credentialId === null) return undefined;
    const credential = credentialById(db, channel.credentialId);
    if (!credential) return undefined;
    const host = wayOf(channel.kind)?.hostOf(channel.settings) ?? "";
    if (!mayBeUsedAt(credential, host))
      throw new PersonError(
        `The credential ${credential.name} may not be used at ${host}: it is not among its destinations.`,
      );
    return vault.use(credential, `telling by ${channel.name}`);
  }

  /** What a message and its thread are called outside: the same at each try. */
  private namesOf(message: MessageRow): { name: string; thread: string | null } {
    const tag = createHmac("sha256", this.key)
      .update(`${message.channelId} ${message.address}`)
      .digest("hex")
      .slice(0, 12);
    if (message.incidentId === null || message.moment === "test")
      return { name: `message-${message.id}-${tag}`, thread: null };
    const of = (version: number) => `incident-${message.incidentId}-${version}-${tag}`;
    return { name: of(message.version), thread: message.version > 1 ? of(1) : null };
  }

  private linksOf(message: MessageRow, nowMs: number) {
    const { origin } = this.parts;
    const link = (act: AnswerKind) =>
      message.incidentId === null
        ? origin
        : `${origin}/answer/${codeOf(this.key, { incident: message.incidentId, act, to: message.name, untilMs: nowMs + GOOD_MS })}`;
    return { take: link("take"), pass_on: link("pass-on"), shelve: link("shelve") };
  }

  /** What a link in a message asks for, or a sentence where it is no good. */
  answerOf(code: string): Answer | string {
    return answerOf(this.key, code, this.parts.now());
  }

  private took(message: MessageRow, channel: ChannelRow | undefined, end: JobEnd): void {
    const { db, emit, now, vault } = this.parts;
    const atMs = now();
    const tries = message.tries + 1;
    const isOver = end.outcome === "retry" && (message.moment === "test" || atMs - message.madeAt >= PATIENCE_MS);
    const state = end.outcome === "sent" ? "sent" : end.outcome === "refused" ? "refused" : isOver ? "given up" : "due";
    db.transaction(() => {
      endSending(db, message.id, {
        state,
        answer: end.answer.toWellFormed().slice(0, 1000),
        subject: end.subject.toWellFormed().slice(0, 300),
        atMs,
        tookMs: end.tookMs,
        nextAt: state === "due" ? atMs + Math.max(end.waitMs ?? 0, waitAfter(tries, message.id)) : atMs,
        outcome: end.outcome,
      });
      if (channel?.credentialId != null)
        vault.note(channel.credentialId, `telling by ${channel.name}`, end.outcome === "sent" ? null : end.answer);
      if (message.incidentId !== null && message.moment !== "test" && incidentById(db, message.incidentId)) {
        const how = `${message.name} by ${message.channel}`;
        if (state === "sent")
          noteIncident(db, message.incidentId, "told", `Told ${how}: ${end.subject}`, "Holotaxis", atMs);
        if (state === "refused" || state === "given up")
          noteIncident(
            db,
            message.incidentId,
            "told",
            `Could not tell ${how}: ${end.answer.slice(0, 200)}`,
            "Holotaxis",
            atMs,
          );
      }
    })();
    if (state === "sent" && channel?.kind === "browser" && message.personId !== null)
      emit({
        topic: "told",
        accountId: message.personId,
        title: end.subject,
        text: end.sentence,
        address:
          message.moment === "shift"
            ? "/incidents/shift"
            : message.incidentId === null
              ? "/incidents"
              : `/incidents/${message.incidentId}`,
        sound: contactOf(db, message.personId).sound,
      });
    if (message.incidentId !== null) emit({ topic: "incident", id: message.incidentId, what: "told" });
  }

  /**
   * Sends a test by a channel now and waits for the answer.
   * @param incidentId a real incident that it tells of; the made-up one where it is null
   * @param template words that are tried before they are saved; the kept ones where there are none
   * @returns what the other side answered, word by word
   */
  async test(
    channelId: number,
    to: { address: string; name: string; personId: number | null },
    incidentId: number | null,
    template?: MessageTemplate,
  ): Promise<{ ok: boolean; answer: string }> {
    const { db, now } = this.parts;
    const channel = channelById(db, channelId);
    if (!channel) throw new PersonError("That channel does not exist.");
    if (!channel.isOn) throw new PersonError("That channel is switched off. Switch it on first.");
    const atMs = now();
    const id = addMessage(db, {
      incidentId: null,
      ruleId: null,
      shiftId: null,
      channelId,
      channel: channel.name,
      address: to.address,
      personId: to.personId,
      name: to.name,
      moment: "test",
      version: 1,
      severity: "indeterminate",
      cause: null,
      takenBy: null,
      why: "a test",
      madeAt: atMs,
      state: "due",
      nextAt: Number.MAX_SAFE_INTEGER,
    });
    const row = id === undefined ? undefined : messageById(db, id);
    if (!row) throw new PersonError("The test could not be kept.");
    await this.hand({ ...row, incidentId }, channel, atMs, template);
    const ended = messageById(db, row.id);
    return { ok: ended?.state === "sent", answer: ended?.answer ?? "" };
  }

  /** Tells whoever is on call, now or next, of a shift that was handed over; not who left. */
  tellShift(shiftId: number, people: readonly number[], leftBy: string): void {
    const { db, now } = this.parts;
    const nowMs = now();
    const { addressesOf, channels } = readDirectory(db, nowMs);
    for (const id of new Set(people))
      for (const one of addressesOf({ kind: "person", id })) {
        const channel = channels.get(one.channelId);
        if (!channel || one.name === leftBy) continue;
        addMessage(db, {
          incidentId: null,
          ruleId: null,
          shiftId,
          channelId: channel.id,
          channel: channel.name,
          address: one.address,
          personId: one.personId,
          name: one.name,
          moment: "shift",
          version: 1,
          severity: "indeterminate",
          cause: null,
          takenBy: null,
          why: `${leftBy} handed a shift over`,
          madeAt: nowMs,
          state: "due",
          nextAt: nowMs,
        });
      }
  }

  /** Has a message that did not go out tried again. */
  again(messageId: number): void {
    const { db, now } = this.parts;
    const message = messageById(db, messageId);
    if (!message) throw new PersonError("That message does not exist.");
    if (message.state !== "refused" && message.state !== "given up")
      throw new PersonError("Only what was refused or given up can be tried again.");
    endSending(db, messageId, {
      state: "due",
      answer: message.answer,
      subject: "",
      atMs: now(),
      tookMs: 0,
      nextAt: now(),
      outcome: "tried again by hand",
    });
  }

  stop(): void {
    this.isStopped = true;
  }
}

/** Waits grow with each try; spread by the number of the message, so that a server that comes back is not overrun. */
function waitAfter(tries: number, id: number): number {
  const wait = WAITS_MS[Math.min(tries, WAITS_MS.length) - 1] ?? WAITS_MS[0];
  return Math.round(wait + (wait * ((id * 7919) % 100)) / 400);
}
