import Papa from "papaparse";

/** A row of a list as it was given, by the names of its columns in small letters. */
export interface GivenRow {
  /** "Line 3" or "Entry 3", as people find it again. */
  at: string;
  row: Readonly<Record<string, unknown>>;
}

/**
 * Reads a list that people keep elsewhere: CSV with a head line (comma, semicolon or tab), or JSON, a list of objects.
 * @param needed columns that the head line has to name; `head` says so, as a sentence
 * @returns the rows, or a sentence
 */
export function rowsOfText(text: string, needed: readonly string[], head: string): GivenRow[] | string {
  return /^\s*[[{]/.test(text) ? fromJson(text) : fromCsv(text, needed, head);
}

function fromJson(text: string): GivenRow[] | string {
  let given: unknown;
  try {
    given = JSON.parse(text);
  } catch (error) {
    return `This is no JSON: ${error instanceof Error ? error.message : String(error)}.`;
  }
  if (!Array.isArray(given)) return "JSON has to be a list: [{ “name”: … }, …].";
  const odd = given.findIndex((one) => typeof one !== "object" || one === null || Array.isArray(one));
  if (odd >= 0) return `Entry ${odd + 1} is no object with a name.`;
  return (given as Record<string, unknown>[]).map((row, index) => ({
    at: `Entry ${index + 1}`,
    row: Object.fromEntries(Object.entries(row).map(([name, value]) => [columnOf(name), value])),
  }));
}

function fromCsv(text: string, needed: readonly string[], head: string): GivenRow[] | string {
  const parsed = Papa.parse<string[]>(text.trim(), { skipEmptyLines: "greedy" });
  const [problem] = parsed.errors.filter((one) => one.code !== "UndetectableDelimiter");
  if (problem) return `Line ${(problem.row ?? 0) + 1}: ${problem.message}.`;
  const [first, ...lines] = parsed.data;
  const columns = (first ?? []).map(columnOf);
  if (needed.some((one) => !columns.includes(one))) return head;
  return lines.map((line, index) => ({
    at: `Line ${index + 2}`,
    row: Object.fromEntries(columns.map((column, at) => [column, line[at] ?? ""])),
  }));
}

const columnOf = (name: string) => name.trim().toLowerCase();

/** What stands in a cell, as text: numbers and truth values are written out. */
export const cellText = (value: unknown): string =>
  typeof value === "string" ? value.trim() : typeof value === "number" || typeof value === "boolean" ? `${value}` : "";
