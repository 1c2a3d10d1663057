import { allKinds } from "#core/catalogue/kinds";
import { SAMPLE, SAMPLE_DIGEST, SAMPLE_SHIFT, variablesOf } from "#core/telling/facts";
import { readyMessage, TEMPLATE_KINDS, type Occasion } from "#core/telling/ready-messages";
import { wouldTell } from "#core/telling/decide";
import { tellingRuleSchema, type Recipient } from "#core/telling/rule";
import { templateProblems, type MessageTemplate } from "#core/telling/template";
import { DAY_MS } from "#core/time/windows";
import { fieldsOf } from "../forms/fields";
import { channelById, listChannels } from "../store/channels";
import { contactsByAccount, NO_CONTACT } from "../store/contacts";
import { listCredentials } from "../store/credentials";
import type { Db } from "../store/database";
import { sitesKnown } from "../store/estate";
import { incidentsIn } from "../store/incidents";
import { messageById, messageCounts, messagesIn, triesOf, type MessageQuestion } from "../store/outbox";
import { listAccounts } from "../store/people";
import { listRotations } from "../store/rotations";
import { listServices } from "../store/services";
import { listTellingRules, tellingRuleById, writtenTemplates } from "../store/telling";
import { composed } from "../telling/compose";
import { incidentsNow } from "../telling/decisions";
import { WAYS, wayOf } from "../telling/ways/registry";

/** Everybody and everything that can be told, by what a rule calls them. */
function recipients(db: Db) {
  const contacts = contactsByAccount(db);
  const people = listAccounts(db)
    .filter((one) => one.closedAt === null)
    .map(({ id, name }) => ({ kind: "person" as const, id, name, mail: (contacts.get(id) ?? NO_CONTACT).mail }));
  return [
    ...listRotations(db).map(({ id, name }) => ({ kind: "rotation" as const, id, name, mail: "" })),
    ...people,
    ...listChannels(db)
      .filter((one) => wayOf(one.kind)?.addressOf(one.settings) != null)
      .map(({ id, name }) => ({ kind: "channel" as const, id, name, mail: "" })),
  ];
}

const namesOf = (all: ReturnType<typeof recipients>, to: readonly Recipient[]) =>
  to.map(({ kind, id }) => all.find((one) => one.kind === kind && one.id === id)?.name ?? "nobody any more");

/** Who is told of what: the rules, how many messages went out in a week, what failed. */
export function tellingPage(db: Db, { nowMs }: { nowMs: number }) {
  const all = recipients(db);
  const services = new Map(listServices(db).map((one) => [one.uid, one.name]));
  const sent = messagesIn(db, { fromMs: nowMs - 7 * DAY_MS, toMs: nowMs, limit: 20_000 });
  return {
    rules: listTellingRules(db).map((rule) => ({
      ...rule,
      serviceNames: rule.services.map((uid) => services.get(uid) ?? uid),
      toNames: namesOf(all, rule.to),
      steps: rule.escalation.map(({ afterMinutes, to }) => ({ afterMinutes, names: namesOf(all, to) })),
      sent: sent.filter((one) => one.ruleId === rule.id && one.state === "sent").length,
      failed: sent.filter((one) => one.ruleId === rule.id && (one.state === "refused" || one.state === "given up"))
        .length,
    })),
    unreachable: all.filter((one) => one.kind === "person" && one.mail === "").map((one) => one.name),
  };
}

/** The form of a rule: it, and what can be chosen. */
export function tellingRulePage(db: Db, { id }: { id: number | null }) {
  const rule = id === null ? null : (tellingRuleById(db, id) ?? null);
  if (id !== null && !rule) return null;
  return {
    rule,
    recipients: recipients(db),
    services: listServices(db).map(({ uid, name }) => ({ uid, name })),
    sites: sitesKnown(db),
    kinds: allKinds().map(([kind, { label }]) => ({ kind, label })),
  };
}

const TRIED_MS = 30 * DAY_MS;
const MOST_TRIED = 2_000;
const MOST_NAMED = 8;

/** Of which incidents of the last 30 days a rule would have told, before it is switched on; or what is wrong with it. */
export function tellingTried(db: Db, { rule, nowMs }: { rule: unknown; nowMs: number }) {
  const read = tellingRuleSchema.safeParse(rule);
  if (!read.success)
    return { problem: read.error.issues[0]?.message ?? "Something is not right.", told: [], of: 0, count: 0 };
  const rows = incidentsIn(db, nowMs - TRIED_MS, nowMs, MOST_TRIED).filter((row) => row.opened_at >= nowMs - TRIED_MS);
  const would = new Set(
    incidentsNow(db, rows)
      .filter((one) => wouldTell({ ...read.data, id: 0, sinceMs: 0 }, one))
      .map((one) => one.id),
  );
  return {
    problem: null,
    of: rows.length,
    count: would.size,
    told: rows
      .filter((row) => would.has(row.id))
      .slice(0, MOST_NAMED)
      .map(({ id, title }) => ({ id, title })),
  };
}

/** Ways by which people are told. */
export const channelsPage = (db: Db, { nowMs }: { nowMs: number }) => {
  const sent = messagesIn(db, { fromMs: nowMs - 7 * DAY_MS, toMs: nowMs, limit: 20_000 });
  return {
    channels: listChannels(db).map((one) => {
      const own = sent.filter((message) => message.channelId === one.id);
      return {
        ...one,
        label: wayOf(one.kind)?.label ?? one.kind,
        address: wayOf(one.kind)?.addressOf(one.settings) ?? null,
        host: wayOf(one.kind)?.hostOf(one.settings) ?? null,
        sent: own.filter((message) => message.state === "sent").length,
        waiting: own.filter((message) => message.state === "due" || message.state === "sending").length,
        lastFailure:
          own.find((message) => message.state !== "sent" && message.answer !== "" && message.tries > 0) ?? null,
      };
    }),
    kinds: WAYS.map(({ kind, label, words }) => ({ kind, label, words })),
  };
};

/** The form of a channel. */
export function channelPage(db: Db, { id, kind }: { id: number | null; kind: string }) {
  const channel = id === null ? null : (channelById(db, id) ?? null);
  const way = wayOf(channel?.kind ?? kind);
  if ((id !== null && !channel) || !way) return null;
  return {
    channel,
    kind: { kind: way.kind, label: way.label, words: way.words, isPersonal: way.isPersonal },
    fields: fieldsOf(way.settings, channel?.settings),
    credentials: listCredentials(db)
      .filter((one) => way.credentials.includes(one.kind) && !one.isOwn)
      .map((one) => ({ id: one.id, name: one.name })),
    takesCredential: way.credentials.length > 0,
  };
}

/** The messages as they are written, by occasion. */
export function templatesPage(db: Db, _asked: object) {
  const written = writtenTemplates(db);
  return TEMPLATE_KINDS.map((one) => ({
    ...one,
    subject: (written.get(one.id) ?? readyMessage(one.id)).subject,
    changedBy: written.get(one.id)?.changedBy ?? null,
  }));
}

const MOST_INCIDENTS = 30;

/** One message as it is written, with the variables that it can name, and incidents to try it on. */
export function templatePage(db: Db, { moment, nowMs }: { moment: string; nowMs: number }) {
  const kind = TEMPLATE_KINDS.find((one) => one.id === moment);
  if (!kind) return null;
  const written = writtenTemplates(db).get(kind.id);
  const { subject, plain, rich, headers } = written ?? readyMessage(kind.id);
  return {
    ...kind,
    template: { subject, plain, rich, headers },
    changedBy: written?.changedBy ?? null,
    variables: variablesOf(kind.id === "digest" ? SAMPLE_DIGEST : kind.id === "shift" ? SAMPLE_SHIFT : SAMPLE),
    incidents: incidentsIn(db, nowMs - 30 * DAY_MS, nowMs, MOST_INCIDENTS).map(({ id, title }) => ({ id, title })),
  };
}

export interface PreviewQuestion {
  moment: Occasion;
  template: MessageTemplate;
  incidentId: number | null;
  to: string;
  nowMs: number;
  root: string;
  origin: string;
}

/** What a template makes of a real incident, or what is wrong with it. */
export function templatePreview(db: Db, { moment, template, incidentId, to, nowMs, root, origin }: PreviewQuestion) {
  const problems = templateProblems(template, moment);
  if (Object.keys(problems).length) return { problems, message: null };
  const link = `${origin}/incidents/${incidentId ?? ""}`;
  const made = composed(
    db,
    root,
    {
      messageId: 0,
      incidentId,
      shiftId: null,
      moment,
      to,
      why: "a preview",
      nowMs,
      origin,
      links: { take: link, pass_on: link, shelve: link },
    },
    template,
  );
  return { problems, message: made?.message ?? null };
}

/** What was told to whom, when, and how it went. */
export const messagesPage = (db: Db, question: MessageQuestion) => ({
  messages: messagesIn(db, question),
  counts: messageCounts(db, question.fromMs, question.toMs),
});

/** One message with every try of it. */
export function messagePage(db: Db, { id }: { id: number }) {
  const message = messageById(db, id);
  return message ? { message, tries: triesOf(db, id) } : null;
}
