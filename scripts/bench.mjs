// Measures what the issues name, each beside a plain reference of the same run, and writes bench/results.json.
import { fork, spawn } from "node:child_process";
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { setPriority, tmpdir } from "node:os";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { bundle } from "./bundle.mjs";
import { buildIfStale, install, root } from "./prepare.mjs";
import { signIn } from "./sign-in.mjs";

install();
await buildIfStale();
const { headers, measurePages, timed } = await import("../bench/pages.mjs");
const { measureBesideRuns } = await import("../bench/pages-beside-runs.mjs");
const { measurePlatforms } = await import("../bench/platforms.mjs");
const { measureMapPaint } = await import("../bench/map-paint.mjs");
const { measureFinding } = await import("../bench/find.mjs");
const parts = await bundle("bench/main.ts", "bench.js");

/** `node scripts/bench.mjs starts` measures that part alone and keeps the other rows as they are. */
const only = process.argv[2];
const wanted = (part) => only === undefined || only === part;
if (
  only !== undefined &&
  ![
    "parts",
    "sweep",
    "starts",
    "pages",
    "beside",
    "find",
    "platforms",
    "spend",
    "map",
    "judging",
    "causes",
    "telling",
    "runs",
  ].includes(only)
)
  throw new Error(
    `There is no part “${only}” to measure. Choose parts, sweep, starts, pages, beside, find, platforms, spend, map, judging, causes, telling or runs, or none for all.`,
  );

const folder = mkdtempSync(join(tmpdir(), "holotaxis-bench-"));
const results = [];
const keep = (one) => {
  const ratio = one.better === "lower" ? one.value / one.reference.value : one.reference.value / one.value;
  results.push({
    ...one,
    value: Number(one.value.toPrecision(4)),
    reference: { ...one.reference, value: Number(one.reference.value.toPrecision(4)) },
    ratio: Number(ratio.toPrecision(3)),
    at: new Date().toISOString(),
  });
  const last = results.at(-1);
  const met = last.better === "lower" ? last.value <= last.target : last.value >= last.target;
  process.stdout.write(
    `${met ? "met   " : "MISSED"} ${last.name}: ${last.value} ${last.unit} (target ${last.target}; ${last.reference.name}: ${last.reference.value}; ratio ${last.ratio})\n`,
  );
};
const sleep = (ms) => new Promise((done) => setTimeout(done, ms));
const p95 = (values) =>
  [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * 0.95))];

/** Starts the demo and waits for its first page; the address, the time it took, and a way to end it. */
async function startDemo(args, port) {
  const began = performance.now();
  const child = spawn(
    process.execPath,
    [
      join(root, "scripts", "demo.mjs"),
      "--port",
      String(port),
      "--otlp-port",
      "4341",
      "--grpc-port",
      "0",
      "--trap-port",
      "0",
      "--syslog-port",
      "5541",
      ...args,
    ],
    { cwd: root, stdio: ["ignore", "ignore", "inherit"] },
  );
  const base = `http://127.0.0.1:${port}`;
  for (;;) {
    if (child.exitCode !== null) throw new Error("The demo did not start; is another one running?");
    try {
      // The first page that says something of the estate: signed in.
      headers.cookie = await signIn(base);
      await timed(`${base}/`);
      break;
    } catch {
      await sleep(50);
    }
  }
  const seconds = (performance.now() - began) / 1000;
  return {
    base,
    seconds,
    pid: child.pid,
    end: () =>
      new Promise((done) => {
        child.once("exit", done);
        child.kill("SIGTERM");
      }),
  };
}

/**
 * Lets the stand-ins wait for Holotaxis where both want a processor: the devices they stand for do not compute on its
 * machine (Linux, where each thread has a priority of its own).
 */
function yieldStandIns(pid) {
  for (const name of readdirSync("/proc").filter((one) => /^\d+$/.test(one))) {
    try {
      const isOurs = Number(/PPid:\s+(\d+)/.exec(readFileSync(`/proc/${name}/status`, "utf8"))[1]) === pid;
      if (!isOurs || !readFileSync(`/proc/${name}/cmdline`, "utf8").includes("standins")) continue;
      for (const thread of readdirSync(`/proc/${name}/task`)) setPriority(Number(thread), 19);
    } catch {
      // It ended meanwhile.
    }
  }
}

/** Resident memory of a process and all below it, bytes (Linux). */
function residentOf(pid) {
  const parents = new Map();
  const sizes = new Map();
  for (const name of readdirSync("/proc").filter((one) => /^\d+$/.test(one))) {
    try {
      const status = readFileSync(`/proc/${name}/status`, "utf8");
      parents.set(Number(name), Number(/PPid:\s+(\d+)/.exec(status)[1]));
      sizes.set(Number(name), Number(/VmRSS:\s+(\d+)/.exec(status)?.[1] ?? 0) * 1024);
    } catch {
      // It ended meanwhile.
    }
  }
  const below = (id) => id === pid || (parents.has(id) && parents.get(id) !== 0 && below(parents.get(id)));
  return [...sizes].reduce((sum, [id, size]) => sum + (below(id) ? size : 0), 0);
}

/** A bare HTTP server of Node.js: how long from its start to the first answer, and its memory. */
async function bareServer() {
  const file = join(folder, "bare.mjs");
  writeFileSync(
    file,
    `import { createServer } from "node:http"; createServer((q, r) => r.end("ok")).listen(7187, "127.0.0.1");`,
  );
  const began = performance.now();
  const child = fork(file, { stdio: "ignore" });
  for (;;) {
    try {
      await timed("http://127.0.0.1:7187/");
      break;
    } catch {
      await sleep(5);
    }
  }
  const seconds = (performance.now() - began) / 1000;
  const bytes = residentOf(child.pid);
  const answers = [];
  for (let index = 0; index < 100; index++) answers.push((await timed("http://127.0.0.1:7187/")).ms);
  child.kill();
  return { seconds, bytes, answer: p95(answers) };
}

/** A wide sweep, and the planning of what it finds. */
async function measureTheSweep() {
  // Four hundred hosts in a process of their own for the sweep.
  const scenario = JSON.parse(readFileSync(join(root, "tests", "fixtures", "small-scenario.json"), "utf8"));
  scenario.sites[0].network = "127.50.0.0/20";
  scenario.hosts = Array.from({ length: 400 }, (_, index) => ({
    name: `b-${index}`,
    role: index % 10 === 0 ? "store" : "web",
    site: "room",
    address: `127.50.${index % 16}.${Math.floor(index / 16) * 9 + 5}`,
  }));
  scenario.figures = [];
  scenario.faults = [];
  writeFileSync(join(folder, "scenario.json"), JSON.stringify(scenario));
  const { makeKeyPair } = await import("../standins/keys.mjs");
  writeFileSync(join(folder, "key.pub"), makeKeyPair().public);
  const standins = fork(
    join(root, "build", "run", "standins", "main.js"),
    [
      "--scenario",
      join(folder, "scenario.json"),
      "--control",
      "7189",
      "--keys",
      join(folder, "keys.json"),
      "--demo-key",
      join(folder, "key.pub"),
    ],
    { stdio: ["ignore", "ignore", "inherit", "ipc"] },
  );
  await new Promise((done) => standins.once("message", done));
  const { measureSweep } = await import(pathToFileURL(parts).href);
  for (const one of await measureSweep()) keep(one);
  standins.kill();
}

/** The parts of the program, each on its own. */
async function measureEachPart() {
  const { measureParts } = await import(pathToFileURL(parts).href);
  for (const one of await measureParts(root)) keep(one);
}

/** First pages of a new store and of one that is there, and the memory of the demo. */
async function measureStarts(bare) {
  const data = join(folder, "demo");
  const first = await startDemo(["--fresh", "--data", data], 7188);
  keep({
    name: "first page at the first start, installed and built",
    value: first.seconds,
    unit: "s",
    better: "lower",
    target: 60,
    reference: { name: "bare HTTP server, start to first answer", value: bare.seconds },
  });
  await sleep(20_000);
  await timed(`${first.base}/map?service=manifest-exchange`);
  keep({
    name: "resident memory of the demo",
    value: residentOf(first.pid) / 1e6,
    unit: "MB",
    better: "lower",
    target: 600,
    reference: { name: "bare HTTP server", value: bare.bytes / 1e6 },
  });
  await first.end();
  const later = await startDemo(["--data", data], 7188);
  keep({
    name: "first page at a later start",
    value: later.seconds,
    unit: "s",
    better: "lower",
    target: 5,
    reference: { name: "bare HTTP server, start to first answer", value: bare.seconds },
  });
  await later.end();
}

/** Pages of a large estate. */
async function measureLargeEstate(bare) {
  const large = await startDemo(
    ["--fresh", "--data", join(folder, "large"), "--scale", "480", "--history", "PT6H"],
    7188,
  );
  yieldStandIns(large.pid);
  const { total } = {
    total:
      (await (await fetch(`${large.base}/estate`, { headers })).text()).match(
        /<h1[^>]*>(?:<[^>]*>)*([\d,]+) components/,
      )?.[1] ?? "?",
  };
  process.stdout.write(`estate of ${total} components:\n`);
  const found = await (await fetch(`${large.base}/find?q=nq-mfx-parse-01`, { headers })).json();
  const pages = {
    Watch: "/",
    Discover: "/discover",
    Estate: "/estate?size=100",
    Component: `/estate/${found.components[0].id}`,
    "Map of a service": "/map?service=manifest-exchange",
    Service: "/services/manifest-exchange",
    Metrics: "/signals/metrics?line=metric~memory.used%3Bpick~highest%3Bcount~10",
    Logs: "/signals/logs",
    Traces: "/signals/traces",
    Incidents: "/incidents",
    Runbooks: "/runbooks",
  };
  const bareHttp = { name: "bare HTTP server, p95", value: bare.answer };
  const measured = wanted("pages") ? await measurePages(large.base, pages) : [];
  for (const { name, whole, data, painted, drawn } of measured) {
    const at = `${name} at ${total} components`;
    const of = (what, unit, value, target) =>
      keep({ name: `${what} of ${at}`, value, unit, better: "lower", target, reference: bareHttp });
    of("whole page, p50,", "ms", whole.p50, 100);
    of("whole page, p95,", "ms", whole.p95, Math.max(100, 45 * bare.answer));
    of("HTML", "kB", whole.bytes / 1000, 150);
    of("data alone, p50,", "ms", data.p50, 40);
    of("data alone, p95,", "ms", data.p95, 40);
    of("click to painted, p50,", "ms", painted.p50, 150);
    of("click to painted, p95,", "ms", painted.p95, 150);
    of("click to all charts in sight, p50,", "ms", drawn.p50, 250);
    of("click to all charts in sight, p95,", "ms", drawn.p95, 250);
  }
  try {
    await measureThemBesideRuns(large.base, total);
  } finally {
    await large.end();
  }
}

/** The same pages while many runs are under way. */
async function measureThemBesideRuns(base, total) {
  const rows = await measureBesideRuns(base);
  for (const { name, before, beside, target } of rows)
    keep({
      name: `${name} beside 200 runs at ${total} components`,
      value: beside,
      unit: "ms",
      better: "lower",
      target,
      reference: { name: "the same page before", value: before },
    });
}

try {
  if (wanted("sweep")) await measureTheSweep();
  if (wanted("parts")) await measureEachPart();
  if (wanted("spend")) for (const one of await (await import(pathToFileURL(parts).href)).measureSpend(root)) keep(one);
  if (wanted("map")) for (const one of (await import(pathToFileURL(parts).href)).measureMap(root)) keep(one);
  if (wanted("map")) await measureMapPaint({ folder, keep });
  if (wanted("causes")) for (const one of (await import(pathToFileURL(parts).href)).causes()) keep(one);
  if (wanted("runs")) for (const one of await (await import(pathToFileURL(parts).href)).runs(root)) keep(one);
  if (wanted("telling")) for (const one of (await import(pathToFileURL(parts).href)).telling(root)) keep(one);
  if (wanted("judging")) for (const one of (await import(pathToFileURL(parts).href)).judging(root)) keep(one);
  const bare = ["starts", "pages", "beside", "find", "platforms"].some(wanted) ? await bareServer() : undefined;
  if (wanted("starts")) await measureStarts(bare);
  if (wanted("pages") || wanted("beside")) await measureLargeEstate(bare);
  if (wanted("platforms")) await measurePlatforms({ folder, keep, bare, startDemo });
  if (wanted("find")) await measureFinding({ folder, keep, bare, startDemo });
} finally {
  rmSync(folder, { recursive: true, force: true });
}
const file = join(root, "bench", "results.json");
const measured = new Map(results.map((one) => [one.name, one]));
// Estates grow from version to version: what was measured of a smaller one is not kept beside it.
const bare = (name) => name.replace(/ at [\d,]+ components$/, "");
const anew = new Set(results.map((one) => bare(one.name)));
const before =
  only === undefined
    ? []
    : JSON.parse(readFileSync(file, "utf8")).filter((one) => measured.has(one.name) || !anew.has(bare(one.name)));
const rows = before.map((one) => measured.get(one.name) ?? one);
rows.push(...results.filter((one) => !before.some((other) => other.name === one.name)));
writeFileSync(file, `${JSON.stringify(rows, null, 2)}\n`);
process.stdout.write("written to bench/results.json\n");
