// Bundles a program of bench/ or tests/ that reaches into the server, so that plain Node.js runs it.
import { join } from "node:path";
import { root } from "./prepare.mjs";

/** @param entry below the project's root @param name of the file in build/run; the whole path is returned */
export async function bundle(entry, name) {
  const { build } = await import("esbuild");
  const outfile = join(root, "build", "run", name);
  await build({
    absWorkingDir: root,
    entryPoints: [entry],
    outfile,
    bundle: true,
    packages: "external",
    platform: "node",
    target: "node20",
    format: "esm",
    logLevel: "warning",
    alias: { "#core": join(root, "core"), "#server": join(root, "server"), "#standins": join(root, "standins") },
  });
  return outfile;
}
