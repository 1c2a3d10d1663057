import { scopeText } from "#core/detection/rule";
import { thresholdSettings, type ThresholdSettings } from "#core/detection/threshold";
import { DAY_MS } from "#core/time/windows";
import { ruleById, type RuleRow } from "../store/alarms";
import type { Db } from "../store/database";
import { rulePreview } from "./setup";

/** Advice is computed from so much of the past. */
const LOOKED_MS = 14 * DAY_MS;
const SEVERITIES = ["critical", "major", "minor", "warning"] as const;

/** One thing that could be done about a rule that raises too much, with what it would have raised instead. */
export interface Advice {
  what: string;
  raised: number;
  words: string;
  /** Fields of the rule's form, as they would be. */
  fields: Record<string, string>;
  /** Another way of judging: a new rule in place of this one. */
  isNew: boolean;
}

/** What would make a rule quieter: each change is replayed over the last fortnight of the same series. */
export function ruleAdvice(db: Db, { id, toMs }: { id: number; toMs: number }) {
  const rule = ruleById(db, id);
  if (!rule) return null;
  const fromMs = toMs - LOOKED_MS;
  const replayed = (fields: Record<string, string>) => rulePreview(db, { fields, fromMs, toMs });
  const now = replayed(fieldsOf(rule, rule.settings as Record<string, unknown>));
  const advice: Advice[] = [];
  for (const { what, fields } of variantsOf(rule)) {
    const preview = replayed(fields);
    if (preview.ok)
      advice.push({ what, raised: preview.raised, words: preview.words, fields, isNew: fields.type !== rule.type });
  }
  return { rule: { id: rule.id, name: rule.name }, raised: now.ok ? now.raised : 0, advice };
}

function fieldsOf(rule: RuleRow, settings: Record<string, unknown>, type = rule.type): Record<string, string> {
  const own = Object.fromEntries(
    Object.entries(settings).flatMap(([name, value]) =>
      value === undefined || value === null ? [] : [[name, String(value)]],
    ),
  );
  return { ...own, name: rule.name, type, scope: scopeText(rule.scope), enabled: "on" };
}

/** Changes that are worth trying: longer means, higher limits, a range that is learned; a higher score, a longer time. */
function variantsOf(rule: RuleRow): { what: string; fields: Record<string, string> }[] {
  if (rule.type === "threshold") return ofThreshold(rule, thresholdSettings.parse(rule.settings));
  const settings = rule.settings as Record<string, unknown>;
  const changed = (what: string, changes: Record<string, unknown>) => ({
    what,
    fields: fieldsOf(rule, { ...settings, ...changes }),
  });
  const score = Number(settings.score);
  const variants = [];
  if (Number.isFinite(score) && score < 95)
    variants.push(changed(`ask for a score of ${Math.min(100, score + 15)}`, { score: Math.min(100, score + 15) }));
  if (typeof settings.lastsMinutes === "number")
    variants.push(
      changed(`ask that it lasts ${settings.lastsMinutes + 5} min`, { lastsMinutes: settings.lastsMinutes + 5 }),
    );
  if (typeof settings.leastCalls === "number")
    variants.push(changed(`ask for ${settings.leastCalls * 3} calls`, { leastCalls: settings.leastCalls * 3 }));
  return variants;
}

function ofThreshold(rule: RuleRow, settings: ThresholdSettings) {
  const longer = Math.min(60, settings.samples * 3);
  const changed = (what: string, changes: Partial<ThresholdSettings>) => ({
    what,
    fields: fieldsOf(rule, { ...settings, ...changes }),
  });
  const limits = Object.fromEntries(
    SEVERITIES.flatMap((severity) => {
      const value = settings[severity];
      if (value === undefined) return [];
      // A tenth of the way that is left to 100, or a tenth more where there is no top.
      const moved = value > 0 && value < 100 ? value + (100 - value) * 0.3 : value * 1.1;
      return [[severity, Number((settings.direction === "above" ? moved : value * 0.9).toPrecision(3))]];
    }),
  );
  const { metric, direction } = settings;
  return [
    changed(`take the mean of ${longer} samples`, { samples: longer }),
    changed(`move the limits to ${Object.values(limits).join(", ")}`, limits as Partial<ThresholdSettings>),
    {
      what: "learn what is usual instead of fixed limits",
      fields: fieldsOf(
        rule,
        { metric, direction, score: 75, lastsMinutes: 5, leastPercent: 25, severity: "minor" },
        "usual",
      ),
    },
  ];
}
