import { z } from "zod";
import { observeListed, parseList } from "#core/estate/list";
import type { Found, SourceDriver } from "../driver";

const MOST_CHARACTERS = 5_000_000;
const AT_ONCE = 5_000;

const listSettings = z.strictObject({
  list: z
    .string("Paste the list, or choose a file.")
    .trim()
    .min(1, "Paste the list, or choose a file.")
    .max(MOST_CHARACTERS, "A list has at most 5,000,000 characters; part it in two.")
    .superRefine((text, context) => {
      const result = parseList(text);
      if (!result.ok) context.addIssue({ code: "custom", message: result.problem });
    })
    .meta({
      title: "List",
      description:
        "CSV with a head line, or JSON. Columns: name, address, kind, site, serial, uuid, mac, owner, environment, tier, tags, note; others are kept as facts.",
      lines: true,
      file: ".csv,.json,.txt,.tsv",
    }),
});
export type ListSettings = z.infer<typeof listSettings>;

const rowsOf = ({ list }: ListSettings) => {
  const result = parseList(list);
  if (!result.ok) throw new Error(result.problem);
  return result.rows;
};

/** A list that people keep elsewhere: what ought to be there, whose it is, what it is for. */
export const listDriver: SourceDriver<ListSettings> = {
  kind: "list",
  label: "List from a file",
  about: "CSV or JSON: what ought to be there, whose it is, what it is for. What is never seen shows under Coverage.",
  settings: listSettings,
  hearsay: "list",
  covers: (settings) => {
    const count = rowsOf(settings).length;
    return { text: count === 1 ? "one listed host" : `${count.toLocaleString("en-GB")} listed hosts`, places: count };
  },
  check: async (settings) => {
    const rows = rowsOf(settings);
    const facts = [...new Set(rows.flatMap((one) => Object.keys(one.more)))];
    const labelled = rows.filter((one) => one.labels.length).length;
    return {
      ok: true,
      lines: [
        `${rows.length.toLocaleString("en-GB")} rows, ${rows.filter((one) => one.addresses.length).length.toLocaleString("en-GB")} with an address, ${labelled.toLocaleString("en-GB")} with an owner, environment, tier or tag.`,
        facts.length ? `Kept as facts: ${facts.join(", ")}.` : "Every column is understood.",
        `The first is ${rows[0]?.name}.`,
      ],
    };
  },
  async *discover(settings, _access, signal): AsyncGenerator<Found> {
    const rows = rowsOf(settings);
    for (let at = 0; at < rows.length && !signal.aborted; at += AT_ONCE) {
      const part = rows.slice(at, at + AT_ONCE);
      yield { what: "observations", observations: part.map(observeListed) };
      const tried = at + part.length;
      yield { what: "progress", tried, answering: tried, recognised: tried, failed: 0 };
    }
  },
  listings: () => [{ what: "own" }],
};
