// Builds the pages with React Router's own tool and the server, its threads and the stand-ins with esbuild.
import { spawnSync } from "node:child_process";
import { fileURLToPath } from "node:url";
import { dirname, join } from "node:path";
import { build } from "esbuild";

const root = dirname(dirname(fileURLToPath(import.meta.url)));

export async function buildServers() {
  await build({
    absWorkingDir: root,
    entryPoints: {
      "server/main": "server/main.ts",
      "server/tool": "server/tool.ts",
      "server/engine-thread": "server/threads/engine-thread.ts",
      "server/receiver-thread": "server/threads/receiver-thread.ts",
      "server/workbench-child": "server/workbench/child.ts",
      "server/spend-thread": "server/threads/spend-thread.ts",
      "server/telling-thread": "server/threads/telling-thread.ts",
      "server/reader": "server/threads/reader.ts",
      "standins/main": "standins/main.ts",
      "agent/main": "agent/main.ts",
    },
    outdir: join(root, "build", "run"),
    bundle: true,
    packages: "external",
    platform: "node",
    target: "node20",
    format: "esm",
    sourcemap: true,
    logLevel: "warning",
    alias: { "#core": join(root, "core"), "#server": join(root, "server"), "#standins": join(root, "standins") },
  });
}

export function buildPages() {
  const tool = join(root, "node_modules", "@react-router", "dev", "bin.js");
  const result = spawnSync(process.execPath, [tool, "build", "--logLevel", "warn"], {
    cwd: root,
    stdio: ["ignore", "pipe", "pipe"],
    env: { ...process.env, NODE_ENV: "production" },
    encoding: "utf8",
  });
  if (result.status !== 0) {
    process.stderr.write(result.stdout + result.stderr);
    throw new Error("The pages could not be built.");
  }
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  // The pages' tool empties the folder first.
  buildPages();
  await buildServers();
}
