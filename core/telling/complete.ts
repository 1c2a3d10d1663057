import type { Variable } from "./facts";

const MOST = 8;
/** What is being typed of a variable: in an open tag or output, the last word before the cursor. */
const OPEN = /\{(?:\{|%)[^}%]*?([a-z_][\w.]*|)$/;

/** What of a variable stands before the cursor, while one is being typed; undefined elsewhere. */
export const typedBefore = (text: string, at: number): string | undefined => OPEN.exec(text.slice(0, at))?.[1];

/** Variables that begin with what was typed, then those that have it in them. Parts of lists are named within loops only. */
export function suggestions(variables: readonly Variable[], typed: string): Variable[] {
  const whole = variables.filter((one) => !one.path.includes("[]"));
  const begins = whole.filter((one) => one.path.startsWith(typed));
  const others = typed === "" ? [] : whole.filter((one) => !one.path.startsWith(typed) && one.path.includes(typed));
  return [...begins, ...others].slice(0, MOST);
}

/** The text with a variable in the place of what was typed, closed where it was open, and where the cursor goes. */
export function completed(text: string, at: number, path: string): { text: string; at: number } {
  const typed = typedBefore(text, at) ?? "";
  const before = text.slice(0, at - typed.length);
  const after = text.slice(at);
  const isOutput = /\{\{[^}%]*$/.test(before);
  const open = isOutput && before.endsWith("{{") ? " " : "";
  const close = isOutput && !/^[^{]*\}\}/.test(after) ? " }}" : "";
  const made = `${open}${path}${close}`;
  return { text: before + made + after, at: before.length + made.length };
}
