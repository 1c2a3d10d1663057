import { z } from "zod";
import { kindMatches } from "../catalogue/kinds";
import type { AnyDetector, Scope } from "./detector";
import { detectorOf } from "./registry";

/** A rule as people write it. */
export interface RuleInput {
  name: string;
  type: string;
  settings: unknown;
  scope: Scope;
  enabled: boolean;
}

const head = z.looseObject({
  name: z
    .string("Give the rule a name.")
    .trim()
    .min(1, "Give the rule a name.")
    .max(80, "A name has at most 80 characters."),
  type: z.string().default("threshold"),
  /** "kind:host.*" or "service:orders". */
  scope: z.string().regex(/^(kind|service):.{1,80}$/, "Say what the rule applies to."),
  enabled: z.union([z.literal("on"), z.literal(""), z.boolean()]).optional(),
});

export const scopeText = (scope: Scope): string =>
  scope.subject === "component" ? `kind:${scope.kind}` : `service:${scope.service}`;

/**
 * Reads a rule from the flat fields of a form: what all have, and the settings of its detector.
 * @returns the rule with its detector, or a sentence for each wrong field
 */
export function readRule(
  fields: Readonly<Record<string, unknown>>,
): { ok: true; rule: RuleInput; detector: AnyDetector } | { ok: false; fields: Record<string, string> } {
  const wrong: Record<string, string> = {};
  const note = (error: z.ZodError) => {
    for (const issue of error.issues) wrong[issue.path.join(".") || "form"] ??= issue.message;
  };
  const given = head.safeParse(fields);
  if (!given.success) note(given.error);
  const detector = detectorOf(given.success ? given.data.type : String(fields.type ?? "threshold"));
  if (!detector) return { ok: false, fields: { type: "There is no such detector. Choose another one." } };
  const { name: _name, type: _type, scope: _scope, enabled: _enabled, ...rest } = fields;
  const settings = detector.settings.safeParse(rest);
  if (!settings.success) note(settings.error);
  if (!given.success || !settings.success) return { ok: false, fields: wrong };
  const [, subject, what = ""] = /^(kind|service):(.+)$/.exec(given.data.scope) ?? [];
  return {
    ok: true,
    detector,
    rule: {
      name: given.data.name,
      type: detector.type,
      settings: settings.data,
      scope: subject === "service" ? { subject: "service", service: what } : { subject: "component", kind: what },
      enabled: given.data.enabled === "on" || given.data.enabled === true,
    },
  };
}

/** Whether a component of a kind is in a scope. */
export const coversKind = (scope: Scope, kind: string): boolean =>
  scope.subject === "component" && kindMatches(scope.kind, kind);
