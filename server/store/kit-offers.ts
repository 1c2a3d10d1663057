import { canonical } from "#core/kits/difference";
import { prepared, type Db } from "./database";

export type KitPartKind = "rule" | "policy" | "chore";

/** What was last taken from a kit; undefined where nothing was yet. */
export function offerOf(db: Db, part: KitPartKind, name: string): unknown {
  const row = prepared<{ definition: string }>(db, "SELECT definition FROM kit_offer WHERE part = ? AND name = ?").get(
    part,
    name,
  );
  return row && (JSON.parse(row.definition) as unknown);
}

/** Notes what a kit says, as what is here was measured against it. */
export const noteOffer = (db: Db, part: KitPartKind, name: string, definition: unknown, atMs: number): void =>
  void prepared(db, "INSERT OR REPLACE INTO kit_offer (part, name, definition, at) VALUES (?, ?, ?, ?)").run(
    part,
    name,
    canonical(definition),
    atMs,
  );
