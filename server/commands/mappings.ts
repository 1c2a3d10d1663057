import { z } from "zod";
import { INSTALLATION } from "#core/people/rights";
import { mappingNamed } from "../store/platforms";
import { command } from "./command";

const name = z.string().trim().min(1).max(60);
const text = z.string().max(200_000, "A mapping has at most 200,000 characters.");
const trial = {
  text,
  address: z
    .url({ protocol: /^https?$/, error: "Give an address that begins with https:// or http://." })
    .max(300)
    .transform((one) => one.replace(/\/+$/, "")),
  authority: z.string().trim().max(65_536).default(""),
  credentialId: z.number().int().min(1).nullable(),
};

export const mappingCommands = {
  "mapping.save": command({
    right: "configure",
    input: z.strictObject({ before: name.optional(), text }),
    about: () => INSTALLATION,
    run: ({ mappings }, input, who) => mappings.save(input.before, input.text, who.name),
    state: ({ db }, { before }, saved) => mappingNamed(db, before ?? saved ?? "")?.text,
    record: ({ before }, saved) => `${before === undefined ? "Wrote" : "Changed"} the mapping ${saved ?? before ?? ""}`,
  }),
  "mapping.remove": command({
    right: "configure",
    input: z.strictObject({ name }),
    about: () => INSTALLATION,
    run: ({ mappings }, input) => mappings.remove(input.name),
    state: ({ db }, input) => mappingNamed(db, input.name)?.text,
    record: (input) => `Removed the mapping ${input.name}`,
  }),
  "mapping.preview": command({
    right: "configure",
    input: z.strictObject(trial),
    about: () => INSTALLATION,
    run: ({ mappings }, input) => mappings.preview(input),
    record: ({ address }) => `Tried a mapping at ${address}`,
  }),
  "mapping.answer": command({
    right: "configure",
    input: z.strictObject({ ...trial, path: z.string().trim().min(1, "Give a path.").max(1000) }),
    about: () => INSTALLATION,
    run: ({ mappings }, { path, ...input }) => mappings.answer(input, path),
    record: ({ address, path }) => `Looked at what ${address} answers at ${path}`,
  }),
};
