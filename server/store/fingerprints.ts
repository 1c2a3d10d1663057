import type { Clue, Fingerprint } from "#core/estate/fingerprints";
import { prepared, type Db } from "./database";

/** A product that somebody named by words that it shows. */
export interface NamedProduct {
  id: number;
  product: string;
  kind: string | null;
  clue: Clue;
  words: string;
  madeBy: string;
  madeAt: number;
}

export const namedProducts = (db: Db): NamedProduct[] =>
  prepared<NamedProduct>(
    db,
    `SELECT id, product, kind, clue, words, made_by AS madeBy, made_at AS madeAt FROM fingerprint ORDER BY product, id`,
  ).all();

export function saveNamedProduct(db: Db, one: Omit<NamedProduct, "id" | "madeAt">, atMs: number): void {
  prepared(
    db,
    `INSERT INTO fingerprint (product, kind, clue, words, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?)
     ON CONFLICT (clue, words) DO UPDATE SET product = excluded.product, kind = excluded.kind,
       made_by = excluded.made_by, made_at = excluded.made_at`,
  ).run(one.product, one.kind, one.clue, one.words, one.madeBy, atMs);
}

export function removeNamedProduct(db: Db, id: number): NamedProduct | undefined {
  const known = namedProducts(db).find((one) => one.id === id);
  if (known) prepared(db, "DELETE FROM fingerprint WHERE id = ?").run(id);
  return known;
}

/** As recognising takes them, before those that ship. */
export const asFingerprints = (products: readonly NamedProduct[]): Record<string, Fingerprint> =>
  Object.fromEntries(
    products.map((one) => [
      `named-${one.id}`,
      {
        product: one.product,
        ...(one.kind ? { kind: one.kind } : {}),
        clues: [{ on: one.clue, pattern: one.words, literally: true }],
        lines: [],
      },
    ]),
  );
