import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { z } from "zod";
import { FingerprintBook, fingerprintSchema, type Fingerprint } from "#core/estate/fingerprints";

const fileSchema = z.record(z.string(), fingerprintSchema);

const files = new Map<string, Record<string, Fingerprint>>();

/** The fingerprints that ship with the project: files of `fingerprints/`, each several by their ids. */
export function readFingerprints(root: string): Record<string, Fingerprint> {
  const known = files.get(root);
  if (known) return known;
  const folder = join(root, "fingerprints");
  const all: Record<string, Fingerprint> = {};
  for (const name of readdirSync(folder).sort())
    if (name.endsWith(".json"))
      Object.assign(all, fileSchema.parse(JSON.parse(readFileSync(join(folder, name), "utf8"))));
  files.set(root, all);
  return all;
}

const books = new Map<string, FingerprintBook>();

/** The shipped fingerprints, ready to recognise with; read once. */
export function shippedBook(root: string): FingerprintBook {
  let book = books.get(root);
  if (!book) books.set(root, (book = new FingerprintBook(readFingerprints(root))));
  return book;
}
