// Runs the browser stories: in two groups, each against a demo of its own, beside one another where this machine lets
// each have a network of its own (both demos answer at the same addresses), and one after the other elsewhere.
import { spawn, spawnSync } from "node:child_process";
import { existsSync, readdirSync, readFileSync, rmSync } from "node:fs";
import { join } from "node:path";
import { createInterface } from "node:readline";
import { root } from "./prepare.mjs";

/** The first of the second group, by name: about as long as the first. */
const SECOND_FROM = "people";

/** Begins a command in a network of its own, with nothing but a loopback. */
const OWN_NETWORK = ["unshare", "--net", "sh", "-c", 'ip link set lo up && exec "$@"', "sh"];

const mayHaveNetworks = () => spawnSync(OWN_NETWORK[0], [...OWN_NETWORK.slice(1), "true"]).status === 0;

function groups() {
  const files = readdirSync(join(root, "tests", "browser"))
    .filter((name) => name.endsWith(".test.ts"))
    .sort();
  return [
    { name: "first", files: files.filter((name) => name < SECOND_FROM) },
    { name: "second", files: files.filter((name) => name >= SECOND_FROM) },
  ];
}

/** @returns what was counted of one group, when it is done */
function runGroup({ name, files }, apart) {
  const report = join(root, "test-results", `browser-${name}.json`);
  rmSync(report, { force: true });
  const command = [
    ...(apart ? OWN_NETWORK : []),
    join(root, "node_modules", ".bin", "playwright"),
    "test",
    ...files.map((file) => `browser/${file}`),
  ];
  const child = spawn(command[0], command.slice(1), {
    cwd: root,
    stdio: ["ignore", "pipe", "pipe"],
    env: { ...process.env, FORCE_COLOR: "0", STORIES: name, PLAYWRIGHT_JSON_OUTPUT_NAME: report },
  });
  for (const stream of [child.stdout, child.stderr])
    createInterface({ input: stream }).on("line", (line) => process.stdout.write(`[${name}] ${line}\n`));
  return new Promise((done) => {
    child.once("error", () => done({ passed: 0, failed: 1 }));
    child.once("close", (code) => {
      if (!existsSync(report)) return done({ passed: 0, failed: 1 });
      const { stats } = JSON.parse(readFileSync(report, "utf8"));
      const endedBadly = code !== 0 && stats.unexpected === 0;
      done({ passed: stats.expected + stats.flaky, failed: stats.unexpected + (endedBadly ? 1 : 0) });
    });
  });
}

/** @returns how many stories passed, and how many failed */
export async function runStories() {
  const apart = mayHaveNetworks();
  const counts = [];
  if (apart) counts.push(...(await Promise.all(groups().map((group) => runGroup(group, true)))));
  else for (const group of groups()) counts.push(await runGroup(group, false));
  return {
    passed: counts.reduce((sum, one) => sum + one.passed, 0),
    failed: counts.reduce((sum, one) => sum + one.failed, 0),
  };
}
