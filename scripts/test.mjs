// Runs every check and test, and ends with a line that adds up what was counted.
import { spawn, spawnSync } from "node:child_process";
import { existsSync, mkdirSync, readFileSync, rmSync } from "node:fs";
import { join, relative } from "node:path";
import { buildIfStale, install, root } from "./prepare.mjs";

let passed = 0;
let failed = 0;
/** What failed, told once more at the end: the end is what is kept of a long output. */
const failures = [];
const say = (text) => process.stdout.write(`${text}\n`);
const bin = (name) => join(root, "node_modules", ".bin", name);

const env = { ...process.env, FORCE_COLOR: "0" };

/** Counts one check by how its command ended. */
function count(title, isPassed, output) {
  if (isPassed) {
    passed++;
    say("passed");
    return;
  }
  failed++;
  const why = output.trim() || "failed without a word";
  say(why);
  failures.push(`${title}\n${why.split("\n").slice(-30).join("\n")}`);
}

/** One command that counts as one check. */
function check(title, command, args) {
  say(`\n== ${title}`);
  const result = spawnSync(command, args, { cwd: root, encoding: "utf8", env, maxBuffer: 64 * 1024 * 1024 });
  count(title, result.status === 0, `${result.stdout ?? ""}${result.stderr ?? ""}${result.error ?? ""}`);
}

/** The same beside others; the promise ends when it was counted. */
function checkBeside(title, command, args) {
  let output = "";
  return new Promise((done) => {
    const child = spawn(command, args, { cwd: root, env, stdio: ["ignore", "pipe", "pipe"] });
    let isCounted = false;
    const end = (isPassed) => {
      if (isCounted) return;
      isCounted = true;
      say(`\n== ${title}`);
      count(title, isPassed, output);
      done();
    };
    for (const stream of [child.stdout, child.stderr]) stream.on("data", (part) => (output += String(part)));
    child.on("error", (error) => {
      output += String(error);
      end(false);
    });
    child.on("close", (status) => end(status === 0));
  });
}

/** Failed tests of Vitest's report: a line for each and how its first error begins. */
const failedUnits = ({ testResults }) =>
  testResults.flatMap((file) => {
    const path = relative(root, file.name);
    if (file.status === "failed" && file.assertionResults.length === 0) return [`${path}\n${file.message}`];
    return file.assertionResults
      .filter((one) => one.status === "failed")
      .map((one) => `${path}: ${one.fullName}\n${(one.failureMessages[0] ?? "").split("\n").slice(0, 12).join("\n")}`);
  });

/** Finds Debian's Chromium, or installs it where that can be done. */
function haveChromium() {
  if (existsSync("/usr/bin/chromium")) return true;
  if (process.getuid?.() !== 0 || spawnSync("apt-get", ["--version"]).status !== 0) return false;
  say("installing Debian's chromium …");
  spawnSync("apt-get", ["update", "-q"], { stdio: "ignore" });
  spawnSync("apt-get", ["install", "-y", "-q", "--no-install-recommends", "chromium"], {
    stdio: "ignore",
    env: { ...process.env, DEBIAN_FRONTEND: "noninteractive" },
  });
  return existsSync("/usr/bin/chromium");
}

install();
check("route types", bin("react-router"), ["typegen"]);
// It takes the longest of them, and one processor.
const types = checkBeside("types", bin("tsc"), ["--noEmit"]);
check("format", bin("oxfmt"), ["--check", "."]);
check("lint", bin("oxlint"), [
  "--deny-warnings",
  "agent",
  "app",
  "core",
  "server",
  "standins",
  "scripts",
  "tests",
  "bench",
]);
check("import rules between the rooms", bin("depcruise"), ["agent", "core", "server", "app", "standins"]);

say("\n== build");
await buildIfStale();
await types;
check("drills, the short ones: noticed, and repaired over SSH", process.execPath, ["scripts/drills.mjs", "--short"]);
say("\n== unit, reference and system tests");
const results = join(root, "test-results");
rmSync(results, { recursive: true, force: true });
mkdirSync(results, { recursive: true });
const unitFile = join(results, "unit.json");
const unit = spawnSync(
  bin("vitest"),
  ["run", "--reporter=default", "--reporter=json", `--outputFile.json=${unitFile}`],
  { cwd: root, stdio: ["ignore", "inherit", "inherit"], env: { ...process.env, FORCE_COLOR: "0" } },
);
const counted = existsSync(unitFile) ? JSON.parse(readFileSync(unitFile, "utf8")) : undefined;
const units = counted ? failedUnits(counted) : [];
passed += counted?.numPassedTests ?? 0;
// It ends badly for what is no test's own failure too.
if (unit.status !== 0 && units.length === 0) units.push("unit tests: Vitest ended badly though no test failed");
failed += units.length;
failures.push(...units);

say("\n== browser tests");
if (!haveChromium()) {
  failed++;
  say("Chromium is missing. Install it (on Debian: apt-get install chromium) and run the tests again.");
} else {
  const browserFile = join(results, "browser.json");
  const browser = spawnSync(bin("playwright"), ["test"], {
    cwd: root,
    stdio: ["ignore", "inherit", "inherit"],
    env: { ...process.env, FORCE_COLOR: "0", PLAYWRIGHT_JSON_OUTPUT_NAME: browserFile },
  });
  if (existsSync(browserFile)) {
    const { stats } = JSON.parse(readFileSync(browserFile, "utf8"));
    passed += stats.expected + stats.flaky;
    failed += stats.unexpected;
    if (browser.status !== 0 && stats.unexpected === 0) failed++;
  } else failed++;
}

if (failures.length) say(`\n== what failed before the browser tests\n${failures.join("\n\n")}`);
say(`\n${passed} passed, ${failed} failed`);
process.exit(failed === 0 ? 0 : 1);
