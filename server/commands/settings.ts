import { z } from "zod";
import { readRule } from "#core/detection/rule";
import { removeRule, ruleById, ruleNamed, saveRule, type RuleRow } from "../store/alarms";
import { insertChange } from "../store/changes";
import { OWN_SITE, saidSite } from "../causes/own-site";
import { PersonError, writeMeta, type Db } from "../store/database";
import { currentComponents } from "../store/estate";
import { addExpected, endExpected } from "../store/expected";
import { removeQuery, savedQueries, saveQuery } from "../store/saved-queries";
import { INSTALLATION } from "#core/people/rights";
import { command } from "./command";

const id = z.number().int().min(1);

function existing(db: Db, ruleId: number): RuleRow {
  const rule = ruleById(db, ruleId);
  if (!rule) throw new PersonError("That rule does not exist.");
  return rule;
}

const tell = (db: Db, atMs: number, summary: string, by: string) =>
  insertChange(db, { atMs, kind: "setting", componentId: null, summary, by });

/** Rules, what is expected, saved queries, and where the installation stands. */
export const settingCommands = {
  "installation.site": command({
    right: "configure",
    about: () => INSTALLATION,
    state: ({ db }) => saidSite(db) ?? "",
    input: z.strictObject({ site: z.string().max(80) }),
    run: ({ db, now, onServices }, { site }, who) => {
      if (site !== "" && !currentComponents(db).some((one) => one.site === site))
        throw new PersonError(`There is nothing at a site “${site}”. Choose one of the estate.`, {
          site: "Not known.",
        });
      db.transaction(() => {
        writeMeta(db, OWN_SITE, site);
        tell(
          db,
          now(),
          site ? `This installation stands at ${site}` : "Nobody says where this installation stands",
          who.name,
        );
      })();
      onServices();
    },
    record: ({ site }) =>
      site ? `Said that this installation stands at ${site}` : "Took back where this installation stands",
  }),
  "rule.save": command({
    right: "configure",
    input: z.strictObject({ id: id.optional(), fields: z.record(z.string(), z.unknown()) }),
    run: ({ db, now, onRules }, input, who) => {
      const read = readRule(input.fields);
      if (!read.ok)
        throw new PersonError(Object.values(read.fields)[0] ?? "Something in the rule is not right.", read.fields);
      const { rule } = read;
      if (input.id !== undefined && !ruleById(db, input.id)) throw new PersonError("That rule does not exist.");
      const twin = ruleNamed(db, rule.name);
      if (twin && twin.id !== input.id)
        throw new PersonError(`There is a rule called “${rule.name}” already. Choose another name, or edit that one.`);
      const saved = db.transaction(() => {
        const verb = input.id === undefined ? "added" : "changed";
        insertChange(db, {
          atMs: now(),
          kind: "setting",
          componentId: null,
          summary: `Rule “${rule.name}” was ${verb}`,
          by: who.name,
        });
        return saveRule(db, input.id, rule);
      })();
      onRules();
      return saved;
    },
    about: ({ id: one }, saved) => ({ type: "rule", id: one ?? saved ?? 0 }),
    state: ({ db }, { id: one }, saved) => (one ?? saved) && ruleById(db, (one ?? saved) as number),
    record: (input) => `${input.id === undefined ? "Added" : "Changed"} rule “${String(input.fields.name)}”`,
  }),
  "rule.switch": command({
    right: "configure",
    input: z.strictObject({ id, on: z.boolean() }),
    run: ({ db, now, onRules }, input, who) => {
      const rule = existing(db, input.id);
      db.transaction(() => {
        saveRule(db, rule.id, { ...rule, enabled: input.on });
        tell(db, now(), `Rule “${rule.name}” was switched ${input.on ? "on" : "off"}`, who.name);
      })();
      onRules();
      return rule.name;
    },
    about: ({ id: one }) => ({ type: "rule", id: one }),
    state: ({ db }, { id: one }) => ruleById(db, one),
    record: (input, name) => `Switched rule “${name ?? input.id}” ${input.on ? "on" : "off"}`,
  }),
  "rule.remove": command({
    right: "configure",
    input: z.strictObject({ id }),
    run: ({ db, now, onRules }, input, who) => {
      const rule = existing(db, input.id);
      db.transaction(() => {
        removeRule(db, rule.id);
        tell(db, now(), `Rule “${rule.name}” was removed`, who.name);
      })();
      onRules();
      return rule.name;
    },
    about: ({ id: one }) => ({ type: "rule", id: one }),
    state: ({ db }, { id: one }) => ruleById(db, one),
    record: (input, name) => `Removed rule “${name ?? input.id}”`,
  }),
  "oddity.expect": command({
    right: "respond",
    input: z.strictObject({
      subject: z.enum(["component", "service"]),
      id,
      metric: z.string().min(1).max(200),
      qualifier: z.string().max(1000).default(""),
      reason: z.string().trim().min(1, "Say why it is expected.").max(200, "A reason has at most 200 characters."),
      hours: z.coerce
        .number("Say for how many hours.")
        .min(1, "For an hour at least.")
        .max(24 * 90, "For 90 days at most."),
    }),
    run: ({ db, now, onRules }, input, who) => {
      const atMs = now();
      const { subject, id: one, metric, qualifier, reason, hours } = input;
      const untilMs = atMs + hours * 3_600_000;
      addExpected(db, {
        subject: { type: subject, id: one },
        metric,
        qualifier,
        reason,
        by: who.name,
        at: atMs,
        untilMs,
      });
      onRules();
    },
    about: ({ subject, id: one }) => ({ type: subject, id: one }),
    record: (input) => `Expects ${input.metric} to be unusual for ${input.hours} h: ${input.reason}`,
  }),
  "oddity.unexpect": command({
    right: "respond",
    input: z.strictObject({ id }),
    run: ({ db, now, onRules }, input) => {
      if (!endExpected(db, input.id, now())) throw new PersonError("That is not expected any more.");
      onRules();
    },
    about: ({ id: one }) => ({ type: "oddity", id: one }),
    record: (input) => `No longer expects oddity ${input.id}`,
  }),
  "query.save": command({
    right: "respond",
    about: () => INSTALLATION,
    input: z.strictObject({
      name: z.string().trim().min(1, "Give the query a name.").max(80),
      sql: z.string().trim().min(1).max(10_000),
    }),
    run: ({ db, now }, input, who) => saveQuery(db, input.name, input.sql, who.name, now()),
    record: (input) => `Saved query “${input.name}”`,
  }),
  "query.remove": command({
    right: "respond",
    about: ({ id: one }) => ({ type: "query", id: one }),
    input: z.strictObject({ id }),
    run: ({ db }, input) => {
      const name = savedQueries(db).find((one) => one.id === input.id)?.name;
      if (!name) throw new PersonError("That query is not there any more.");
      removeQuery(db, input.id);
      return name;
    },
    record: (input, name) => `Removed query “${name ?? input.id}”`,
  }),
};
