import { whatToDo } from "#core/kits/difference";
import { readRule, type RuleInput } from "#core/detection/rule";
import { thresholdSettings } from "#core/detection/threshold";
import { detectorOf } from "#core/detection/registry";
import { choreSchema, type Chore } from "#core/repair/chore";
import { policySchema, type PolicyDefinition } from "#core/repair/policy";
import { nextDue } from "#core/repair/triggers/registry";
import type { Kit } from "../settings";
import { offerRule, ruleNamed, saveRule } from "../store/alarms";
import { insertChange } from "../store/changes";
import { choreNamed, offerChore, saveChore } from "../store/chores";
import type { Db } from "../store/database";
import { noteOffer, offerOf, type KitPartKind } from "../store/kit-offers";
import { offerPolicy, policyNamed, savePolicy } from "../store/policies";

/**
 * A part of a kit that stands in the store once it was taken in: people change it there, and it follows its kit as long as they
 * did not. Whether it is on, and how far it is trusted, is nobody's but theirs.
 */
export interface KitPart {
  part: KitPartKind;
  name: string;
  /** What the kit says. */
  definition: unknown;
  /** What was kept of it before, with what this version says where that one said nothing. */
  read(kept: unknown): unknown;
  /** What is here, in the same form; undefined where it is not here. */
  here(db: Db): { id: number; definition: unknown; isOn: boolean; level?: string } | undefined;
  /** Puts it in for the first time, unless people removed one of its name. */
  offer(db: Db, atMs: number): void;
  /** Makes what is here what the kit says. */
  take(db: Db, by: string, atMs: number): void;
}

/** The rules of a kit, whatever they judge by. Throws an Error that names what is wrong with one. */
export function rulesOf(kit: Kit): RuleInput[] {
  const limits = kit.rules.map(({ name, limits: own, isOn, ...settings }): RuleInput => ({
    name,
    type: "threshold",
    settings: thresholdSettings.parse({
      ...settings,
      ...Object.fromEntries(own.map((one) => [one.severity, one.value])),
    }),
    scope: { subject: "component", kind: kit.kind },
    enabled: isOn,
  }));
  const judged = kit.judged.map(({ name, type, scope = `kind:${kit.kind}`, settings, isOn }): RuleInput => {
    const read = readRule({ name, type, scope, enabled: isOn, ...settings });
    if (read.ok) return read.rule;
    throw new Error(`Rule “${name}” of the kit “${kit.title}”: ${Object.values(read.fields).join(" ")}`);
  });
  return [...limits, ...judged];
}

type RuleDefinition = Pick<RuleInput, "type" | "settings" | "scope">;

/** A rule as it is compared: with the settings that its detector has by now. */
const ruleDefinition = ({ type, settings, scope }: RuleDefinition): RuleDefinition => ({
  type,
  settings: detectorOf(type)?.settings.safeParse(settings).data ?? settings,
  scope,
});

const rulePart = (rule: RuleInput): KitPart => ({
  part: "rule",
  name: rule.name,
  definition: ruleDefinition(rule),
  read: (kept) => ruleDefinition(kept as RuleDefinition),
  here(db) {
    const own = ruleNamed(db, rule.name);
    return own && { id: own.id, definition: ruleDefinition(own), isOn: own.enabled };
  },
  offer: (db) => offerRule(db, rule),
  take(db) {
    const own = ruleNamed(db, rule.name);
    saveRule(db, own?.id, { ...rule, enabled: own?.enabled ?? rule.enabled });
  },
});

/** Without how far it is trusted and whether it is on. */
function untrusted<T extends { level: unknown; isOn: unknown }>({ level: _level, isOn: _isOn, ...definition }: T) {
  return definition;
}

const policyDefinition = (kept: unknown): unknown => {
  const read = policySchema.safeParse({ ...(kept as object), level: "watch", isOn: true });
  return read.success ? untrusted(read.data) : kept;
};

function policyPart(policy: PolicyDefinition): KitPart {
  return {
    part: "policy",
    name: policy.name,
    definition: untrusted(policy),
    read: policyDefinition,
    here(db) {
      const own = policyNamed(db, policy.name);
      return (
        own && {
          id: own.id,
          definition: policyDefinition(own.definition),
          isOn: own.definition.isOn,
          level: own.definition.level,
        }
      );
    },
    offer: (db, atMs) => offerPolicy(db, policy, atMs),
    take(db, by, atMs) {
      const own = policyNamed(db, policy.name);
      const { level, isOn } = own?.definition ?? policy;
      savePolicy(db, own?.id, { ...policy, level, isOn }, by, atMs);
    },
  };
}

const choreDefinition = (kept: unknown): unknown => {
  const read = choreSchema.safeParse({ ...(kept as object), level: "watch", isOn: true });
  return read.success ? untrusted(read.data) : kept;
};

function chorePart(chore: Chore): KitPart {
  return {
    part: "chore",
    name: chore.name,
    definition: untrusted(chore),
    read: choreDefinition,
    here(db) {
      const own = choreNamed(db, chore.name);
      return (
        own && {
          id: own.id,
          definition: choreDefinition(own.definition),
          isOn: own.definition.isOn,
          level: own.definition.level,
        }
      );
    },
    offer: (db, atMs) => offerChore(db, chore, atMs, nextDue(chore.trigger, atMs)),
    take(db, by, atMs) {
      const own = choreNamed(db, chore.name);
      const { level, isOn } = own?.definition ?? chore;
      saveChore(db, own?.id, { ...chore, level, isOn }, { by, atMs, nextMs: nextDue(chore.trigger, atMs) });
    },
  };
}

/** What of a kit stands in the store. */
export const partsOf = (kit: Kit): KitPart[] => [
  ...rulesOf(kit).map(rulePart),
  ...kit.policies.map(policyPart),
  ...kit.chores.map(chorePart),
];

const NAMES: Readonly<Record<KitPartKind, string>> = { rule: "Rule", policy: "Policy", chore: "Chore" };

/** Offers one part: puts it in, has it follow its kit, or leaves what people made of it; inside a transaction. */
export function offerPart(db: Db, one: KitPart, atMs: number): void {
  const kept = offerOf(db, one.part, one.name);
  const offered = kept === undefined ? undefined : one.read(kept);
  const here = one.here(db);
  const todo = whatToDo(offered, one.definition, here?.definition);
  // What people trust to act is changed by nobody but them.
  if (todo === "follow" && here?.level !== undefined && here.level !== "watch") return;
  if (todo === "put in") one.offer(db, atMs);
  if (todo === "follow") {
    one.take(db, "kit", atMs);
    insertChange(db, {
      atMs,
      kind: "setting",
      componentId: null,
      summary: `${NAMES[one.part]} “${one.name}” follows its kit, which says otherwise now`,
      by: "kit",
    });
  }
  if (offered === undefined || todo === "follow") noteOffer(db, one.part, one.name, one.definition, atMs);
}
