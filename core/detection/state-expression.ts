import { Environment } from "@marcbachmann/cel-js";
import { severityRank } from "../alarms/severity";
import type { Standing, StateInput } from "./detector";

/** Nothing that people write here needs more. */
const LIMITS = { maxAstNodes: 300, maxDepth: 30, maxListElements: 50, maxMapEntries: 50, maxCallArguments: 8 };
const LEVELS = ["warning", "minor", "major", "critical"] as const;

const worstOf = (one: Standing, rule?: string): number =>
  one.alarms.reduce(
    (worst, alarm) =>
      rule === undefined || alarm.rule === rule ? Math.max(worst, severityRank(alarm.severity)) : worst,
    0,
  );

/** The language with everything that may be asked of how something stands. */
function languageOf(now: () => StateInput): Environment {
  const environment = new Environment({ limits: LIMITS });
  for (const level of LEVELS) environment.registerVariable(level, "int");
  const whole = (count: number) => BigInt(count);
  return environment
    .registerVariable("members", "int")
    .registerVariable("worst", "int")
    .registerFunction("alarm(string): int", (rule: string) => whole(worstOf(now().own, rule)))
    .registerFunction("figure(string): double", (metric: string) => now().own.figure(metric, ""))
    .registerFunction("figure(string, string): double", (metric: string, instance: string) =>
      now().own.figure(metric, instance),
    )
    .registerFunction("unusual(string): double", (metric: string) => now().own.unusual(metric))
    .registerFunction("unwell(int): int", (least: bigint) =>
      whole(now().members.filter((one) => worstOf(one) >= Number(least)).length),
    )
    .registerFunction("unwell(string, int): int", (rule: string, least: bigint) =>
      whole(now().members.filter((one) => worstOf(one, rule) >= Number(least)).length),
    )
    .registerFunction("over(string, double): int", (metric: string, limit: number) =>
      whole(now().members.filter((one) => one.figure(metric, "") > limit).length),
    )
    .registerFunction("under(string, double): int", (metric: string, limit: number) =>
      whole(now().members.filter((one) => one.figure(metric, "") < limit).length),
    );
}

const NOTHING: StateInput = {
  atMs: 0,
  own: { name: "", kind: "", alarms: [], figure: () => Number.NaN, unusual: () => 0 },
  members: [],
};
const checking = languageOf(() => NOTHING);
const firstLine = (error: unknown) => (error instanceof Error ? error.message : String(error)).split("\n")[0] ?? "";

/** What is wrong with an expression about states, as a sentence; undefined where nothing is. */
export function stateProblem(text: string): string | undefined {
  // A pattern can take for ever, on the thread that everything else waits for.
  if (/\bmatches\s*\(/.test(text)) return "matches() is not available here; name the rule or metric in full.";
  try {
    const checked = checking.check(text);
    if (!checked.valid) return `This is not understood: ${firstLine(checked.error)}`;
    if (checked.type !== "bool" && checked.type !== "dyn")
      return `This gives a ${checked.type}; write a condition that is true or false.`;
    return undefined;
  } catch (error) {
    return `This is not understood: ${firstLine(error)}`;
  }
}

/**
 * A condition in CEL (Common Expression Language) over how something stands, read once and asked often. It knows
 * `alarm("rule")` and `worst` (rank of a severity, 0 for none), `figure("metric")`, `unusual("metric")` (score, 0 for as usual), and of what it consists of: `members`,
 * `unwell(least)`, `unwell("rule", least)`, `over("metric", limit)`, `under("metric", limit)`; `warning` to `critical`
 * are ranks. What cannot be worked out does not hold.
 */
export function stateCondition(text: string): (input: StateInput) => boolean {
  let now = NOTHING;
  const run = languageOf(() => now).parse(text);
  const ranks = Object.fromEntries(LEVELS.map((level) => [level, BigInt(severityRank(level))]));
  return (input) => {
    now = input;
    try {
      return run({ ...ranks, members: BigInt(input.members.length), worst: BigInt(worstOf(input.own)) }) === true;
    } catch {
      return false;
    } finally {
      now = NOTHING;
    }
  };
}
