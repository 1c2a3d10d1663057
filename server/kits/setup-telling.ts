import { readFileSync } from "node:fs";
import { z } from "zod";
import { rotationSchema } from "#core/telling/rotation";
import { tellingRuleSchema, type Recipient } from "#core/telling/rule";
import { weekHoursSchema } from "#core/telling/week-hours";
import { saveChannel } from "../store/channels";
import { saveContact } from "../store/contacts";
import { listCredentials } from "../store/credentials";
import { PersonError, readMeta, writeMeta, type Db } from "../store/database";
import { listAccounts } from "../store/people";
import { saveRotation } from "../store/rotations";
import { saveTellingRule } from "../store/telling";
import { setupSchema } from "../settings";
import { wayOf } from "../telling/ways/registry";

const BY = "set-up file";
const TAKEN = "telling";

/** Recipients by name: "person Mara Tolvane", "rotation Operations", "channel Mail". */
const named = z.string().regex(/^(person|rotation|channel) .+/);
const namedRule = tellingRuleSchema.extend({
  to: z.array(named).min(1),
  escalation: z.array(z.strictObject({ afterMinutes: z.number(), to: z.array(named).min(1) })).default([]),
});
const layers = z.array(z.looseObject({ people: z.array(z.string()).optional() }));

/** Who is told in a demonstration, and how: names in the place of numbers. */
export const tellingSetup = z.strictObject({
  contacts: z
    .array(
      z.strictObject({
        name: z.string(),
        mail: z.string(),
        zone: z.string().default("UTC"),
        mostAnHour: z.number().int().min(1).default(20),
        quiet: weekHoursSchema.nullable().default(null),
      }),
    )
    .default([]),
  channels: z
    .array(
      z.strictObject({
        kind: z.string(),
        name: z.string(),
        settings: z.record(z.string(), z.unknown()),
        credential: z.string().optional(),
      }),
    )
    .default([]),
  rotations: z.array(z.strictObject({ name: z.string(), plan: z.looseObject({ layers }) })).default([]),
  rules: z.array(z.unknown()).default([]),
});

/** Takes who is told from a set-up file, once. */
export function takeTelling(db: Db, file: string, nowMs: number): void {
  const given = setupSchema.parse(JSON.parse(readFileSync(file, "utf8"))).telling;
  if (given === undefined || readMeta(db, TAKEN)) return;
  const refuse = (what: string) => new PersonError(`The set-up file ${file} cannot be used: telling: ${what}`);
  const parsed = tellingSetup.safeParse(given);
  if (!parsed.success)
    throw refuse(parsed.error.issues.map((one) => `${one.path.join(".")}: ${one.message}`).join("; "));
  const { contacts, channels, rotations, rules } = parsed.data;
  const people = new Map(listAccounts(db).map((one) => [one.name, one.id]));
  const idOf = (known: ReadonlyMap<string, number>, name: string) => {
    const id = known.get(name);
    if (id === undefined) throw refuse(`there is no “${name}”.`);
    return id;
  };
  db.transaction(() => {
    for (const { name, ...contact } of contacts)
      saveContact(db, idOf(people, name), { ...contact, browser: true, sound: "none" });
    const credentials = new Map(listCredentials(db).map((one) => [one.name, one.id]));
    const channelIds = new Map<string, number>();
    for (const { kind, name, settings, credential } of channels) {
      const read = wayOf(kind)?.settings.safeParse(settings);
      if (!read?.success) throw refuse(`channel ${name}: ${read?.error.issues[0]?.message ?? "no such kind"}`);
      const credentialId = credential === undefined ? null : idOf(credentials, credential);
      const row = { kind, name, settings: read.data, credentialId, isOn: true };
      channelIds.set(name, saveChannel(db, undefined, row, BY, nowMs));
    }
    const rotationIds = new Map<string, number>();
    for (const { name, plan } of rotations) {
      const read = rotationSchema.parse({
        ...plan,
        layers: plan.layers.map((one) => ({ ...one, people: one.people?.map((person) => idOf(people, person)) })),
      });
      rotationIds.set(name, saveRotation(db, undefined, { name, plan: read }, BY, nowMs));
    }
    const recipientOf = (text: string): Recipient => {
      const [kind = "", ...rest] = text.split(" ");
      const known = kind === "person" ? people : kind === "rotation" ? rotationIds : channelIds;
      return { kind: kind as Recipient["kind"], id: idOf(known, rest.join(" ")) };
    };
    for (const one of rules) {
      const read = namedRule.safeParse(one);
      if (!read.success)
        throw refuse(read.error.issues.map((issue) => `${issue.path.join(".")}: ${issue.message}`).join("; "));
      const { to, escalation, ...rule } = read.data;
      saveTellingRule(
        db,
        undefined,
        {
          ...rule,
          to: to.map(recipientOf),
          escalation: escalation.map((step) => ({ ...step, to: step.to.map(recipientOf) })),
          sinceMs: nowMs,
        },
        BY,
      );
    }
    writeMeta(db, TAKEN, String(nowMs));
  })();
}
