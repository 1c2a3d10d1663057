import { problemsOf } from "./references";
import { scenarioSchema, type Scenario } from "./schema";

export type ScenarioResult = { ok: true; scenario: Scenario } | { ok: false; problems: string[] };

const MOST_SHOWN = 20;

/**
 * Reads a scenario from parsed JSON: first its shape, then every reference in it. Each problem is a sentence with its
 * place.
 */
export function readScenario(json: unknown): ScenarioResult {
  const parsed = scenarioSchema.safeParse(json);
  if (!parsed.success)
    return {
      ok: false,
      problems: parsed.error.issues
        .slice(0, MOST_SHOWN)
        .map((issue) => `${issue.path.join(".") || "the file"}: ${issue.message}.`),
    };
  const problems = problemsOf(parsed.data);
  return problems.length ? { ok: false, problems: problems.slice(0, MOST_SHOWN) } : { ok: true, scenario: parsed.data };
}
