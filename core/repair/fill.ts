/** What placeholders stand for, by name: `process`, `target.name`, `values.pid`. */
export type Words = Readonly<Record<string, string>>;

const PLACEHOLDER = /\{\{\s*([a-z][a-z0-9_.]*)\s*\}\}/g;

/** Puts words into a text; what is not known stays as it is. Nothing that was put in is looked through again. */
export function fillText(template: string, words: Words): string {
  return template.replace(
    PLACEHOLDER,
    (whole, name: string) => (Object.hasOwn(words, name) ? words[name] : whole) ?? whole,
  );
}

/** Names of the placeholders of a text, in order. */
export const namesIn = (template: string): string[] =>
  [...template.matchAll(PLACEHOLDER)].map(([, name]) => name as string);

/** Placeholders of a text that nothing is known for. */
export const unfilled = (template: string, words: Words): string[] =>
  namesIn(template).filter((name) => !Object.hasOwn(words, name));
