import { z } from "zod";
import { INSTALLATION } from "#core/people/rights";
import { MOMENT_IDS, tellingRuleSchema, type Recipient } from "#core/telling/rule";
import { templateProblems, type MessageTemplate } from "#core/telling/template";
import { isZone, weekHoursSchema } from "#core/telling/week-hours";
import { channelById, listChannels, removeChannel, saveChannel } from "../store/channels";
import { contactOf, saveContact } from "../store/contacts";
import { credentialById } from "../store/credentials";
import { PersonError, type Db } from "../store/database";
import { accountById } from "../store/people";
import { rotationById } from "../store/rotations";
import {
  forgetTemplate,
  listTellingRules,
  removeTellingRule,
  saveTellingRule,
  tellingRuleById,
  writeTemplate,
} from "../store/telling";
import { mayBeUsedAt } from "../vault/vault";
import { mailProblem } from "../telling/ways/mail";
import { wayOf } from "../telling/ways/registry";
import { command } from "./command";
import { incidentCommands } from "./incidents";

const id = z.number().int().min(1);
const name = z.string().trim().min(1, "Give it a name.").max(80, "A name has at most 80 characters.");
const template = z.strictObject({
  subject: z.string().max(2_000),
  plain: z.string().max(60_000),
  rich: z.string().max(60_000),
  headers: z.string().max(4_000),
});
const occasion = z.enum([...MOMENT_IDS, "digest", "shift"]);

function checkedTemplate(given: MessageTemplate, moment: z.infer<typeof occasion>): void {
  const problems = templateProblems(given, moment);
  const [first] = Object.values(problems);
  if (first) throw new PersonError(first, problems as Record<string, string>);
}

/** Refuses recipients that are not there. */
function mustReach(db: Db, to: readonly Recipient[]): void {
  for (const { kind, id: one } of to) {
    const channel = kind === "channel" ? channelById(db, one) : undefined;
    const isThere =
      kind === "person"
        ? accountById(db, one)?.closedAt === null
        : kind === "rotation"
          ? rotationById(db, one)
          : channel;
    if (!isThere)
      throw new PersonError(`A ${kind} that the rule tells is not there any more. Choose again.`, {
        to: "Choose again.",
      });
    if (channel && wayOf(channel.kind)?.addressOf(channel.settings) === null)
      throw new PersonError(`${channel.name} has no address of its own: tell a person, or give the channel one.`, {
        to: `${channel.name} has no address of its own.`,
      });
  }
}

/** Channels, contacts, templates, rules and answers to messages. */
export const tellingCommands = {
  "channel.save": command({
    right: "configure",
    input: z.strictObject({
      id: id.optional(),
      kind: z.string().max(40),
      name,
      settings: z.record(z.string(), z.unknown()),
      credentialId: id.nullable(),
      isOn: z.boolean(),
    }),
    run: ({ db, now }, input, who) => {
      const way = wayOf(input.kind);
      if (!way) throw new PersonError(`There is no way of telling called “${input.kind}”.`);
      if (input.id !== undefined && !channelById(db, input.id)) throw new PersonError("That channel does not exist.");
      const read = way.settings.safeParse(input.settings);
      const wrong: Record<string, string> = read.success
        ? (way.problems?.(read.data) ?? {})
        : Object.fromEntries(read.error.issues.map((issue) => [String(issue.path[0] ?? ""), issue.message]));
      const twin = listChannels(db).find((one) => one.name === input.name);
      if (twin && twin.id !== input.id) wrong.name = `There is a channel called “${input.name}” already.`;
      const credential = input.credentialId === null ? undefined : credentialById(db, input.credentialId);
      if (input.credentialId !== null) {
        const host = way.hostOf(input.settings) ?? "";
        if (!credential || !way.credentials.includes(credential.kind))
          wrong.credential = "This credential does not serve here.";
        else if (host && !mayBeUsedAt(credential, host))
          wrong.credential = `${credential.name} may not be used at ${host}: it is not among its destinations.`;
      }
      const [first] = Object.values(wrong);
      if (first !== undefined) throw new PersonError(first, wrong);
      const { kind, credentialId, isOn } = input;
      const row = { kind, name: input.name, settings: read.data as Record<string, unknown>, credentialId, isOn };
      return saveChannel(db, input.id, row, who.name, now());
    },
    about: ({ id: one }, saved) => ({ type: "channel", id: one ?? saved ?? 0 }),
    state: ({ db }, { id: one }, saved) => (one ?? saved) && channelById(db, (one ?? saved) as number),
    record: (input) => `${input.id === undefined ? "Added" : "Changed"} channel “${input.name}”`,
  }),
  "channel.remove": command({
    right: "configure",
    input: z.strictObject({ id }),
    about: ({ id: one }) => ({ type: "channel", id: one }),
    state: ({ db }, { id: one }) => channelById(db, one),
    run: ({ db }, input) => {
      const channel = channelById(db, input.id);
      if (!channel) throw new PersonError("That channel does not exist.");
      const users = listTellingRules(db).filter((rule) =>
        [...rule.to, ...rule.escalation.flatMap((step) => step.to)].some(
          (one) => one.kind === "channel" && one.id === input.id,
        ),
      );
      if (users.length)
        throw new PersonError(`The rule “${users[0]?.name ?? ""}” tells this channel. Take it out there first.`);
      removeChannel(db, input.id);
      return channel.name;
    },
    record: (input, removed) => `Removed channel “${removed ?? input.id}”`,
  }),
  "channel.test": command({
    right: "configure",
    input: z.strictObject({ id, address: z.string().trim().max(200), incidentId: id.nullable().default(null) }),
    about: ({ id: one }) => ({ type: "channel", id: one }),
    run: async ({ db, telling }, input, who) => {
      const channel = channelById(db, input.id);
      const way = channel && wayOf(channel.kind);
      if (!channel || !way) throw new PersonError("That channel does not exist.");
      if (way.kind === "browser") {
        if (who.accountId === null) throw new PersonError("Sign in with an account: the browser shows it to you.");
        return telling.test(
          channel.id,
          { address: String(who.accountId), name: who.name, personId: who.accountId },
          input.incidentId,
        );
      }
      const own = who.accountId === null ? "" : contactOf(db, who.accountId).mail;
      const address = way.isPersonal ? input.address || own : (way.addressOf(channel.settings) ?? "");
      if (way.isPersonal) {
        const problem = address === "" ? "Say where the test goes." : mailProblem(address);
        if (problem) throw new PersonError(problem, { address: problem });
      }
      return telling.test(
        channel.id,
        { address, name: way.isPersonal ? who.name : channel.name, personId: null },
        input.incidentId,
      );
    },
    record: (input, done) => `Sent a test by channel ${input.id}: ${done?.answer ?? "no answer"}`,
  }),
  "contact.save": command({
    right: (input, who) => (input.accountId === who.accountId ? "read" : "administer"),
    input: z.strictObject({
      accountId: id,
      mail: z.string().trim().max(254),
      browser: z.boolean(),
      sound: z.enum(["none", "bell", "two tones", "low tone"]),
      mostAnHour: z.number("Give a number.").int("Whole messages.").min(1, "One at least.").max(500, "500 at most."),
      quiet: weekHoursSchema.nullable(),
      zone: z.string().refine(isZone, "There is no such time zone. Write it as Europe/Lisbon or UTC."),
    }),
    about: ({ accountId }) => ({ type: "account", id: accountId }),
    state: ({ db }, { accountId }) => contactOf(db, accountId),
    run: ({ db }, { accountId, ...contact }) => {
      if (!accountById(db, accountId)) throw new PersonError("That account does not exist.");
      const problem = contact.mail === "" ? undefined : mailProblem(contact.mail);
      if (problem) throw new PersonError(problem, { mail: problem });
      saveContact(db, accountId, contact);
    },
    record: ({ accountId }) => `Changed how account ${accountId} is reached`,
  }),
  "template.save": command({
    right: "configure",
    input: template.extend({ moment: occasion }),
    about: ({ moment }) => ({ type: "template", id: moment }),
    run: ({ db, now }, { moment, ...given }, who) => {
      checkedTemplate(given, moment);
      writeTemplate(db, moment, given, who.name, now());
    },
    record: ({ moment }) => `Changed the message for “${moment}”`,
  }),
  "template.test": command({
    right: "configure",
    input: template.extend({ moment: occasion, incidentId: id.nullable() }),
    about: ({ moment }) => ({ type: "template", id: moment }),
    run: ({ db, telling }, { moment, incidentId, ...given }, who) => {
      if (moment === "digest" || moment === "shift")
        throw new PersonError("A test tells of one incident: this message tells of several. Its preview shows it.");
      checkedTemplate(given, moment);
      const channel = listChannels(db).find((one) => one.kind === "mail" && one.isOn);
      if (!channel) throw new PersonError("There is no mail channel that is on. Add one under Setup › Channels.");
      const address = who.accountId === null ? "" : contactOf(db, who.accountId).mail;
      if (address === "") throw new PersonError("You have no mail address yet. Give it under “My account”.");
      return telling.test(channel.id, { address, name: who.name, personId: null }, incidentId, given);
    },
    record: ({ moment }, done) => `Sent themselves the message for “${moment}”: ${done?.answer ?? "no answer"}`,
  }),
  "template.reset": command({
    right: "configure",
    input: z.strictObject({ moment: occasion }),
    about: ({ moment }) => ({ type: "template", id: moment }),
    run: ({ db }, { moment }) => forgetTemplate(db, moment),
    record: ({ moment }) => `Put the message for “${moment}” back to the ready one`,
  }),
  "telling.save": command({
    right: "configure",
    input: tellingRuleSchema.extend({ id: id.optional() }),
    run: ({ db, now }, { id: one, ...rule }, who) => {
      const before = one === undefined ? undefined : tellingRuleById(db, one);
      if (one !== undefined && !before) throw new PersonError("That rule does not exist.");
      const twin = listTellingRules(db).find((other) => other.name === rule.name);
      if (twin && twin.id !== one)
        throw new PersonError(`There is a rule called “${rule.name}” already.`, { name: "This name is taken." });
      mustReach(db, [...rule.to, ...rule.escalation.flatMap((step) => step.to)]);
      // What opened before a rule was switched on is none of its business.
      const sinceMs = before?.isOn && rule.isOn ? before.sinceMs : now();
      return saveTellingRule(db, one, { ...rule, sinceMs }, who.name);
    },
    about: ({ id: one }, saved) => ({ type: "telling rule", id: one ?? saved ?? 0 }),
    state: ({ db }, { id: one }, saved) => (one ?? saved) && tellingRuleById(db, (one ?? saved) as number),
    record: ({ id: one, name: called }) => `${one === undefined ? "Added" : "Changed"} who is told: “${called}”`,
  }),
  "telling.remove": command({
    right: "configure",
    input: z.strictObject({ id }),
    about: ({ id: one }) => ({ type: "telling rule", id: one }),
    state: ({ db }, { id: one }) => tellingRuleById(db, one),
    run: ({ db }, input) => {
      const rule = tellingRuleById(db, input.id);
      if (!rule) throw new PersonError("That rule does not exist.");
      removeTellingRule(db, input.id);
      return rule.name;
    },
    record: (input, removed) => `Removed who is told: “${removed ?? input.id}”`,
  }),
  "message.again": command({
    right: "respond",
    input: z.strictObject({ id }),
    about: ({ id: one }) => ({ type: "message", id: one }),
    run: ({ telling }, input) => telling.again(input.id),
    record: (input) => `Had message ${input.id} tried again`,
  }),
  "message.answer": command({
    right: "respond",
    input: z.strictObject({
      code: z.string().max(1000),
      to: z.string().trim().max(80).default(""),
      reason: z.string().trim().max(200).default(""),
      hours: z.coerce.number("Say for how many hours.").default(4),
    }),
    about: () => INSTALLATION,
    run: async (ports, input, who) => {
      const asked = ports.telling.answerOf(input.code);
      if (typeof asked === "string") throw new PersonError(asked);
      const { incident, act } = asked;
      if (act === "take") await incidentCommands["incident.take"].run(ports, { id: incident }, who);
      else if (act === "pass-on")
        await incidentCommands["incident.handover"].run(
          ports,
          { id: incident, to: input.to, remark: input.reason },
          who,
        );
      else {
        const shelve = incidentCommands["alarm.shelve"];
        const standing = ports.standingAlarms(incident);
        if (standing.length === 0) throw new PersonError("No alarm of it stands any more: there is nothing to shelve.");
        for (const alarm of standing) {
          const read = shelve.input.safeParse({ id: alarm, reason: input.reason, hours: input.hours });
          if (!read.success) {
            const [issue] = read.error.issues;
            throw new PersonError(issue?.message ?? "Something is missing.", {
              [String(issue?.path[0] ?? "")]: issue?.message ?? "",
            });
          }
          await shelve.run(ports, read.data, who);
        }
      }
      return { incident, act };
    },
    record: (_input, done) =>
      done ? `Answered a message: ${done.act} incident ${done.incident}` : "Answered a message",
  }),
};
