/** One field that differs: where it stands, and both of its values in words. */
export interface Difference {
  field: string;
  before: string;
  after: string;
}

/** JSON with the fields of every object in the order of their names: equal for equal values. */
export const canonical = (value: unknown): string => JSON.stringify(sorted(value));

function sorted(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(sorted);
  if (typeof value !== "object" || value === null) return value;
  return Object.fromEntries(
    Object.entries(value)
      .filter(([, one]) => one !== undefined)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, one]) => [name, sorted(one)]),
  );
}

/** What differs between two values, field by field; lists of plain values are one field. */
export function differences(before: unknown, after: unknown): Difference[] {
  const [old, fresh] = [fieldsOf(before), fieldsOf(after)];
  return [...new Set([...old.keys(), ...fresh.keys()])]
    .filter((field) => old.get(field) !== fresh.get(field))
    .map((field) => ({ field, before: old.get(field) ?? "not said", after: fresh.get(field) ?? "not said" }));
}

const isPlain = (value: unknown) => typeof value !== "object" || value === null;

function fieldsOf(value: unknown, at = ""): Map<string, string> {
  if (isPlain(value)) return new Map([[at, wordsOf(value)]]);
  if (Array.isArray(value) && value.every(isPlain)) return new Map([[at, value.map(wordsOf).join(", ") || "none"]]);
  const fields = new Map<string, string>();
  for (const [name, one] of Object.entries(value as object)) {
    if (one === undefined) continue;
    const place = Array.isArray(value) ? String(Number(name) + 1) : spaced(name);
    for (const [field, words] of fieldsOf(one, at === "" ? place : `${at} › ${place}`)) fields.set(field, words);
  }
  return fields;
}

/** “leastPercent” as people write it: “least percent”. */
const spaced = (name: string) =>
  name.replaceAll(/([a-z])([A-Z])/g, (_all, a: string, b: string) => `${a} ${b.toLowerCase()}`);

const wordsOf = (value: unknown): string =>
  value === true ? "yes" : value === false ? "no" : value === null || value === "" ? "none" : String(value);

/**
 * How a part of a kit stands beside what is here: `same` as in the kit; `own`: changed here; `newer`: the kit says
 * otherwise than what was taken from it, and what is here was changed; `removed` here.
 */
export type PartStanding = "same" | "own" | "newer" | "removed";

/**
 * @param offered what was last taken from the kit; undefined where nothing was
 * @param kit what the kit says now
 * @param here what is here; undefined where there is nothing
 */
export function partStanding(offered: unknown, kit: unknown, here: unknown): PartStanding {
  if (here === undefined) return "removed";
  if (canonical(here) === canonical(kit)) return "same";
  return offered !== undefined && canonical(offered) !== canonical(kit) ? "newer" : "own";
}

/** What becomes of a part when a kit is offered: it is put in, follows the kit, or is left as it is. */
export function whatToDo(offered: unknown, kit: unknown, here: unknown): "put in" | "follow" | "leave" {
  if (offered === undefined) return here === undefined ? "put in" : "leave";
  const isUntouched = here !== undefined && canonical(here) === canonical(offered);
  return isUntouched && canonical(offered) !== canonical(kit) ? "follow" : "leave";
}
