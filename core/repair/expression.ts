import { Environment } from "@marcbachmann/cel-js";

/** A figure as an expression asks for it: its newest value, NaN where nothing is measured. */
export type FigureReader = (metric: string, instance: string) => number;

export interface ExpressionScope {
  args: Readonly<Record<string, string>>;
  values: Readonly<Record<string, unknown>>;
  target: Readonly<Record<string, string>>;
  /** What an HTTP call answered, where one did. */
  answer?: { status: number; body: unknown };
  /** What a command printed. */
  output?: string;
  figure: FigureReader;
}

/** Nothing that people write here needs more. */
const LIMITS = { maxAstNodes: 500, maxDepth: 40, maxListElements: 200, maxMapEntries: 200, maxCallArguments: 16 };

const environment = (figure: FigureReader) =>
  new Environment({ limits: LIMITS })
    .registerVariable("args", "map<string, string>")
    .registerVariable("values", "map<string, dyn>")
    .registerVariable("target", "map<string, string>")
    .registerVariable("status", "int")
    .registerVariable("body", "dyn")
    .registerVariable("output", "string")
    .registerFunction("figure(string): double", (metric: string) => figure(metric, ""))
    .registerFunction("figure(string, string): double", (metric: string, instance: string) => figure(metric, instance));

const checking = environment(() => Number.NaN);

/**
 * What is wrong with a condition in CEL (Common Expression Language), as a sentence; undefined where nothing is. It may
 * use `args`, `values`, `target`, `status` and `body` of an HTTP answer, `output` of a command, and `figure("metric")`, and must be true or false.
 */
export function conditionProblem(text: string): string | undefined {
  // A pattern can take for ever, on the thread that everything else waits for.
  if (/\bmatches\s*\(/.test(text)) return "matches() is not available here; use ==, startsWith, endsWith or contains.";
  try {
    const checked = checking.check(text);
    if (!checked.valid) return `“${text}” is not understood: ${firstLine(checked.error)}`;
    if (checked.type !== "bool" && checked.type !== "dyn")
      return `“${text}” gives a ${checked.type}; write a condition that is true or false.`;
    return undefined;
  } catch (error) {
    return `“${text}” is not understood: ${firstLine(error)}`;
  }
}

const firstLine = (error: unknown) => (error instanceof Error ? error.message : String(error)).split("\n")[0] ?? "";

/** Whether a condition holds; throws an Error with a sentence where it cannot be told. */
export function holds(text: string, scope: ExpressionScope): boolean {
  let value: unknown;
  try {
    value = environment(scope.figure).evaluate(text, {
      args: scope.args,
      values: scope.values,
      target: scope.target,
      status: BigInt(scope.answer?.status ?? 0),
      body: scope.answer?.body ?? null,
      output: scope.output ?? "",
    });
  } catch (error) {
    throw new Error(`“${text}” could not be worked out: ${firstLine(error)}`, { cause: error });
  }
  if (typeof value !== "boolean") throw new Error(`“${text}” gave ${String(value)}, which is neither true nor false.`);
  return value;
}
