import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { extendCatalogue, type Extension } from "#core/catalogue/extend";
import { readRule } from "#core/detection/rule";
import { thresholdSettings } from "#core/detection/threshold";
import { nextDue } from "#core/repair/triggers/registry";
import { kitSchema, type Kit } from "../settings";
import { offerRule } from "../store/alarms";
import type { Db } from "../store/database";
import { offerChore } from "../store/chores";
import { offerPolicy } from "../store/policies";
import { offerRunbook } from "../store/runbooks";

const read = new Map<string, Kit[]>();

/** The kits that ship with the project; read once for each thread, which takes up what they add to the catalogue. */
export function readKits(root: string): Kit[] {
  let kits = read.get(root);
  if (!kits) {
    const folder = join(root, "kits");
    kits = readdirSync(folder)
      .filter((name) => name.endsWith(".json"))
      .sort()
      .map((name) => kitSchema.parse(JSON.parse(readFileSync(join(folder, name), "utf8"))));
    read.set(root, kits);
    extendCatalogue(catalogueOf(kits));
  }
  return kits;
}

const catalogueOf = (kits: readonly Kit[]): Extension => ({
  kinds: kits.flatMap((kit) => kit.kinds),
  metrics: kits.flatMap((kit) => kit.metrics),
});

/** What the kits add to the catalogue, for those who draw pages. */
export const kitCatalogue = (root: string): Extension => catalogueOf(readKits(root));

/** Puts the rules and runbooks of kits into the store; what people set is not overwritten. */
export function offerKits(db: Db, root: string, nowMs: number): void {
  for (const kit of readKits(root)) {
    for (const { name, limits, ...settings } of kit.rules)
      offerRule(db, {
        name,
        type: "threshold",
        settings: thresholdSettings.parse({
          ...settings,
          ...Object.fromEntries(limits.map((one) => [one.severity, one.value])),
        }),
        scope: { subject: "component", kind: kit.kind },
        enabled: true,
      });
    for (const { name, type, scope = `kind:${kit.kind}`, settings } of kit.judged) {
      const read = readRule({ name, type, scope, enabled: true, ...settings });
      if (!read.ok)
        throw new Error(`Rule “${name}” of the kit “${kit.title}”: ${Object.values(read.fields).join(" ")}`);
      offerRule(db, read.rule);
    }
    for (const runbook of kit.runbooks) db.transaction(() => offerRunbook(db, runbook, nowMs))();
    for (const policy of kit.policies) offerPolicy(db, policy, nowMs);
    for (const chore of kit.chores) offerChore(db, chore, nowMs, nextDue(chore.trigger, nowMs));
  }
}
