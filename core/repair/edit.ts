import { parse, stringify } from "yaml";
import type { StepType } from "./steps/registry";

/** A runbook as it is being written: any data, right or wrong. */
export type Draft = Record<string, unknown>;
type Path = readonly (string | number)[];

/** The data of a text; undefined where it is not YAML, or not a map. */
export function draftOf(text: string): Draft | undefined {
  try {
    const value: unknown = parse(text, { maxAliasCount: 0 });
    return value !== null && typeof value === "object" && !Array.isArray(value) ? (value as Draft) : undefined;
  } catch {
    return undefined;
  }
}

export const textOf = (draft: Draft): string => stringify(draft, { lineWidth: 110 });

/** The list of steps at a path: ["steps"], or of a step that holds others ["steps", 2, "do"]. */
export function stepsAt(draft: Draft, path: Path): Draft[] {
  let value: unknown = draft;
  for (const key of path) value = (value as Record<string | number, unknown> | undefined)?.[key];
  return Array.isArray(value) ? (value as Draft[]) : [];
}

/** The draft with another list of steps at a path; the given one is left as it is. */
export function withSteps(draft: Draft, path: Path, steps: readonly Draft[]): Draft {
  const copy = structuredClone(draft);
  let at: Record<string | number, unknown> = copy;
  for (const key of path.slice(0, -1)) at = at[key] as Record<string | number, unknown>;
  at[path.at(-1) as string | number] = structuredClone(steps);
  return copy;
}

/** A list with one of its members moved to another place. */
export function moved<T>(list: readonly T[], from: number, to: number): T[] {
  const rest = list.filter((_, index) => index !== from);
  rest.splice(Math.max(0, Math.min(rest.length, to)), 0, list[from] as T);
  return rest;
}

/** What a new step begins with. */
export function newStep(type: StepType): Draft {
  const begins: Record<StepType, Draft> = {
    command: { argv: ["true"] },
    script: { text: "#!/bin/sh\n" },
    http: { method: "POST", url: "https://" },
    sql: { credential: "", database: "", statement: "" },
    agent: { action: "restart" },
    scale: { to: "+1" },
    wait: { seconds: 10 },
    check: { metric: "memory.used", is: "below", value: 80 },
    choose: { if: 'figure("memory.used") > 90.0', do: [{ type: "note", title: "Say so", text: "It is." }] },
    approve: { text: "Shall it go on?" },
    note: { text: "Done." },
    each: { over: "set", steps: [{ type: "note", title: "Say so", text: "{{target.name}}" }] },
    runbook: { runbook: "", args: {} },
  };
  return { type, title: "New step", ...begins[type] };
}
