// What every command needs first: the packages of the lock file, and a build that is not older than the sources.
// Uses nothing but Node.js itself.
import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

export const root = dirname(dirname(fileURLToPath(import.meta.url)));

/** Installs the packages unless exactly those of the lock file are there. */
export function install() {
  const lock = join(root, "package-lock.json");
  const installed = join(root, "node_modules", ".package-lock.json");
  if (existsSync(installed) && statSync(installed).mtimeMs >= statSync(lock).mtimeMs) return;
  if (existsSync(installed) && sameLock(lock, installed)) return;
  process.stdout.write("installing packages (some minutes the first time) …\n");
  const result = spawnSync("npm", ["ci", "--no-audit", "--no-fund"], {
    cwd: root,
    stdio: ["ignore", "pipe", "inherit"],
    shell: process.platform === "win32",
  });
  if (result.status !== 0)
    throw new Error(
      "The packages could not be installed; what npm said stands above. It needs the npm registry, python3, make and a C++ compiler.",
    );
}

function sameLock(lock, installed) {
  const versions = (file) =>
    Object.entries(JSON.parse(readFileSync(file, "utf8")).packages)
      .filter(([name]) => name)
      .map(([name, one]) => `${name}@${one.version}`);
  const have = new Set(versions(installed));
  // Packages for other systems are locked, but not installed here.
  return versions(lock).filter((name) => have.has(name)).length >= have.size;
}

/** Builds the pages and the servers unless they are newer than every source. */
export async function buildIfStale() {
  const stamp = join(root, "build", "stamp");
  const now = stampOfSources();
  if (existsSync(stamp) && readFileSync(stamp, "utf8") === now) return;
  process.stdout.write("building …\n");
  const { buildServers, buildPages } = await import("./build.mjs");
  // The pages' tool empties the folder first.
  buildPages();
  await buildServers();
  writeFileSync(stamp, now);
}

function stampOfSources() {
  const hash = createHash("sha256");
  const walk = (folder) => {
    for (const entry of readdirSync(folder, { withFileTypes: true }).sort((a, b) => a.name.localeCompare(b.name))) {
      const path = join(folder, entry.name);
      if (entry.isDirectory()) walk(path);
      else hash.update(`${path.slice(root.length)}\0`).update(readFileSync(path));
    }
  };
  for (const folder of ["agent", "app", "core", "server", "standins", "public", "types"]) walk(join(root, folder));
  for (const file of ["package-lock.json", "vite.config.ts", "react-router.config.ts", "scripts/build.mjs"])
    hash.update(readFileSync(join(root, file)));
  return hash.digest("hex");
}
