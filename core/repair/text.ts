import { createTwoFilesPatch } from "diff";
import { LineCounter, parseDocument, stringify } from "yaml";
import { runbookSchema, type Runbook } from "./runbook";

/** What is wrong with the text of a runbook, and where: line from 1, 0 where it is about the whole. */
export interface TextProblem {
  line: number;
  message: string;
}

const MOST_CHARACTERS = 100_000;

/** Settings that have their usual value are left out of the text. */
const USUAL: Readonly<Record<string, unknown>> = {
  onFailure: "stop",
  retries: 0,
  at: "target",
  instance: "",
  meanOf: 1,
  offer: "none",
  usual: "",
};
const isUsual = (key: string, value: unknown) =>
  (Object.hasOwn(USUAL, key) && USUAL[key] === value) ||
  (key === "accept" && JSON.stringify(value) === "[0]") ||
  (key === "fits" && Array.isArray(value) && value.length === 0) ||
  (key === "otherwise" && Array.isArray(value) && value.length === 0) ||
  (key === "parameters" && Array.isArray(value) && value.length === 0);

/** A runbook as YAML 1.2, as people read and write it. */
export function runbookText(runbook: Runbook): string {
  const { before, ...rest } = runbook;
  const isPlain = !before.responds && before.wellSiblings === 0 && before.condition === "";
  const plain = JSON.parse(
    JSON.stringify(isPlain ? rest : { ...rest, before }, (key, value: unknown) =>
      isUsual(key, value) ? undefined : value,
    ),
  ) as object;
  return stringify(plain, { lineWidth: 110 });
}

/** Reads a runbook from YAML or JSON: no aliases, no tags, nothing but data. */
export function readRunbook(text: string): { ok: true; runbook: Runbook } | { ok: false; problems: TextProblem[] } {
  if (text.length > MOST_CHARACTERS)
    return { ok: false, problems: [{ line: 0, message: `A runbook has at most ${MOST_CHARACTERS} characters.` }] };
  const lines = new LineCounter();
  const document = parseDocument(text, { lineCounter: lines, schema: "core", uniqueKeys: true });
  if (document.errors.length > 0)
    return {
      ok: false,
      problems: document.errors.slice(0, 20).map((error) => ({
        line: lines.linePos(error.pos[0]).line,
        message: error.message.split("\n")[0] ?? "This is not YAML.",
      })),
    };
  let value: unknown;
  try {
    value = document.toJS({ maxAliasCount: 0 });
  } catch {
    return { ok: false, problems: [{ line: 0, message: "Aliases (*name) are not taken; write it out." }] };
  }
  const read = runbookSchema.safeParse(value);
  if (read.success) return { ok: true, runbook: read.data };
  return {
    ok: false,
    problems: read.error.issues.slice(0, 20).map((issue) => {
      // The nearest part of the text that there is.
      let node: unknown;
      for (let length = issue.path.length; length > 0 && !node; length--)
        node = document.getIn(issue.path.slice(0, length) as (string | number)[], true);
      const range = (node as { range?: [number, number, number] } | undefined)?.range;
      const where = issue.path.filter((part) => part !== "steps").join(" › ");
      return {
        line: range ? lines.linePos(range[0]).line : 0,
        message: issue.message.startsWith("Step ") || !where ? issue.message : `${where}: ${issue.message}`,
      };
    }),
  };
}

/** What differs between two versions, as lines with + and −, with three lines round each (unified format). */
export function differenceOf(before: Runbook, after: Runbook): string[] {
  const [, , , ...lines] = createTwoFilesPatch("", "", runbookText(before), runbookText(after)).split("\n");
  return lines.filter((line) => !/^(---|\+\+\+|\\)/.test(line) && line !== "");
}
