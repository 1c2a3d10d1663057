import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { kitSchema, type Kit } from "../settings";

const read = new Map<string, Kit[]>();

/** The kits that ship with the project; read once for each thread. */
export function readKits(root: string): Kit[] {
  let kits = read.get(root);
  if (!kits) {
    const folder = join(root, "kits");
    kits = readdirSync(folder)
      .filter((name) => name.endsWith(".json"))
      .sort()
      .map((name) => kitSchema.parse(JSON.parse(readFileSync(join(folder, name), "utf8"))));
    read.set(root, kits);
  }
  return kits;
}
