// Runs the drills against the real server: see `npm run drills -- --help`, docs/scenario.md and docs/verdicts.md.
import { spawn } from "node:child_process";
import { buildIfStale, install, root } from "./prepare.mjs";

install();
await buildIfStale();
const { bundle } = await import("./bundle.mjs");
const file = await bundle("bench/drills/run.ts", "drills.mjs");
const child = spawn(process.execPath, ["--enable-source-maps", file, ...process.argv.slice(2)], {
  cwd: root,
  stdio: "inherit",
});
for (const signal of ["SIGINT", "SIGTERM"]) process.on(signal, () => child.kill(signal));
child.on("exit", (code) => process.exit(code ?? 1));
