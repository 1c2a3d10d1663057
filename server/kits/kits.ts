import { readdirSync, readFileSync } from "node:fs";
import { basename, join } from "node:path";
import { extendCatalogue, type Extension } from "#core/catalogue/extend";
import { kitSchema, type Kit } from "../settings";
import { offerPart, partsOf } from "./parts";
import type { Db } from "../store/database";
import { offerRunbook } from "../store/runbooks";

/** A kit, and the name of its file by which it is known. */
export type NamedKit = Kit & { uid: string };

const read = new Map<string, NamedKit[]>();

/** The kits that ship with the project; read once for each thread, which takes up what they add to the catalogue. */
export function readKits(root: string): NamedKit[] {
  let kits = read.get(root);
  if (!kits) {
    const folder = join(root, "kits");
    kits = readdirSync(folder)
      .filter((name) => name.endsWith(".json"))
      .sort()
      .map((name) => ({
        ...kitSchema.parse(JSON.parse(readFileSync(join(folder, name), "utf8"))),
        uid: basename(name, ".json"),
      }));
    read.set(root, kits);
    extendCatalogue(catalogueOf(kits));
  }
  return kits;
}

const catalogueOf = (kits: readonly Kit[]): Extension => ({
  kinds: kits.flatMap((kit) => kit.kinds),
  metrics: kits.flatMap((kit) => kit.metrics),
});

/** What the kits add to the catalogue, for those who draw pages. */
export const kitCatalogue = (root: string): Extension => catalogueOf(readKits(root));

/** Offers what kits hold to the store; what people set is not overwritten. */
export function offerKits(db: Db, root: string, nowMs: number): void {
  for (const kit of readKits(root))
    db.transaction(() => {
      for (const one of partsOf(kit)) offerPart(db, one, nowMs);
      for (const runbook of kit.runbooks) offerRunbook(db, runbook, nowMs);
    })();
}
