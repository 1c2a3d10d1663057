/** A setting that was changed, as a record of a configuration log tells of it. */
export interface SettingChange {
  setting: string;
  /** Undefined where the record does not say. */
  before: string | undefined;
  after: string;
  who: string | undefined;
}

const MOST = 200;
/** Records longer than this are no message of a change. */
const LONGEST = 2_000;

/** Words without which no text is looked at closely: the most of all logs ends here. */
const MAY_BE = /\b(?:changed|set|updated|modified|altered)\b/i;

const QUOTED = `["'“‘«\`]?`;
const END = `["'”’»\`]?`;
const NAME = `${QUOTED}(?<setting>[A-Za-z][\\w./:-]{0,119})${END}`;
const value = (name: string) =>
  `(?:"(?<${name}1>[^"]{0,200})"|'(?<${name}2>[^']{0,200})'|“(?<${name}3>[^”]{0,200})”|(?<${name}4>[^\\s"'“”,;]{1,200}))`;
const BY = `(?:[ ,;]+by\\s+(?:user\\s+)?${QUOTED}(?<who>[\\w.@\\\\-]{1,80})${END})?`;
const WHAT = "(?:setting|parameter|option|property|variable|configuration(?: key| parameter| value)?|config(?: key)?)";
const VERB = "(?:was |has been |is )?(?:changed|set|updated|modified|altered)";

/**
 * What may stand before it: a time, a level. What people typed into a form or an address stands behind other words in a
 * log, and is no change, whatever it says.
 */
const HEAD = String.raw`^[\d\s:.,TZ+|()[\]-]{0,60}(?:(?:LOG|DEBUG|INFO|NOTICE|WARN|WARNING)[\s:|\]]+)?`;

/** "setting max-connections changed from 200 to 10 by ops"; "parameter "work_mem" changed to "64MB"". */
const TEXT = new RegExp(
  `${HEAD}${WHAT}\\s+(?:of\\s+)?${NAME}\\s+${VERB}(?:\\s+from\\s+${value("before")})?\\s+to\\s+${value("after")}${BY}`,
  "iu",
);

/** Names under which programs write the parts of a change into records of fields. */
const FIELDS = {
  setting: ["setting", "config.key", "config.name", "parameter", "property", "option", "setting.name"],
  before: ["before", "old", "old_value", "old.value", "oldValue", "previous", "config.old", "setting.before"],
  after: ["after", "new", "new_value", "new.value", "newValue", "config.new", "setting.after"],
  who: ["user.name", "enduser.id", "user", "who", "actor", "changed_by", "principal"],
} as const;

const short = (text: string) => text.slice(0, MOST);
const named = (groups: Record<string, string | undefined>, name: string): string | undefined =>
  [1, 2, 3, 4].map((index) => groups[`${name}${index}`]).find((one) => one !== undefined);

function fieldOf(fields: Readonly<Record<string, unknown>>, names: readonly string[]): string | undefined {
  for (const name of names) {
    const one = fields[name];
    if (typeof one === "string" || typeof one === "number" || typeof one === "boolean") return short(String(one));
  }
  return undefined;
}

/** Whether texts of a pattern may tell of settings at all; quick, to be asked once for each pattern. */
export const mayTellOfSettings = (text: string): boolean => MAY_BE.test(text);

/**
 * Reads a record of a configuration log: by its fields where it names setting and new value, else by what it says.
 * Undefined where it tells of no change; a change to the same value is none.
 */
export function settingChangeOf(
  text: string,
  fields: Readonly<Record<string, unknown>> = {},
): SettingChange | undefined {
  const setting = fieldOf(fields, FIELDS.setting);
  const after = fieldOf(fields, FIELDS.after);
  if (setting && after !== undefined)
    return changed({ setting, before: fieldOf(fields, FIELDS.before), after, who: fieldOf(fields, FIELDS.who) });
  if (text.length > LONGEST || !MAY_BE.test(text)) return undefined;
  const groups = TEXT.exec(text)?.groups;
  if (!groups?.setting) return undefined;
  const told = named(groups, "after");
  if (told === undefined) return undefined;
  return changed({
    setting: short(groups.setting),
    before: named(groups, "before"),
    // The end of a sentence is not part of a value.
    after: told.replace(/[.]$/, ""),
    who: groups.who?.replace(/[.]$/, "") ?? fieldOf(fields, FIELDS.who),
  });
}

const changed = (change: SettingChange): SettingChange | undefined =>
  change.before === change.after ? undefined : change;
