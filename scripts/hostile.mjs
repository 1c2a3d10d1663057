// Attacks a running server of ours, long: hostile input by every way in, kills, overload. Writes bench/hostile.json.
// `node scripts/hostile.mjs inputs|kills|overload|days [count]` does one part and keeps the other rows as they are; `days`, two
// days of the demonstration's clock in 57 minutes, is done only when it is named.
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { bundle } from "./bundle.mjs";
import { buildIfStale, install, root } from "./prepare.mjs";

install();
await buildIfStale();
const outfile = await bundle("tests/hostile/long.ts", "hostile.js");
const parts = await import(pathToFileURL(outfile).href);
const only = process.argv[2];
if (only !== undefined && !["inputs", "kills", "overload", "days"].includes(only))
  throw new Error(`There is no part “${only}”. Choose inputs, kills, overload or days, or none for the first three.`);
const file = join(root, "bench", "hostile.json");
const rows = existsSync(file) ? JSON.parse(readFileSync(file, "utf8")).rows : [];
const keep = (row) => {
  const met = row.better === "lower" ? row.value <= row.target : row.value >= row.target;
  process.stdout.write(`${met ? "met   " : "MISSED"} ${row.name}: ${row.value} ${row.unit} (target ${row.target})\n`);
  const place = rows.findIndex((one) => one.name === row.name);
  const dated = { ...row, at: new Date().toISOString() };
  if (place < 0) rows.push(dated);
  else rows[place] = dated;
  writeFileSync(file, `${JSON.stringify({ rows }, null, 2)}\n`);
};
const say = (text) => process.stdout.write(`${text}\n`);
const count = process.argv[3] === undefined ? undefined : Number(process.argv[3]);
for (const part of only === undefined ? ["inputs", "kills", "overload"] : [only]) {
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-hostile-"));
  try {
    await parts[part](root, folder, count, keep, say);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
process.exit(0);
