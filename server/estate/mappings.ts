import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { parseMapping } from "#core/platforms/mapping";

/** The mappings that ship with the project, by the names they give themselves: files of `platforms/`. */
export function shippedMappings(root: string): ReadonlyMap<string, string> {
  const folder = join(root, "platforms");
  const all = new Map<string, string>();
  for (const file of readdirSync(folder).sort()) {
    if (!file.endsWith(".json")) continue;
    const text = readFileSync(join(folder, file), "utf8");
    const read = parseMapping(text);
    if (!read.ok) throw new Error(`platforms/${file}: ${read.problems.join(" ")}`);
    all.set(read.mapping.name, text);
  }
  return all;
}
