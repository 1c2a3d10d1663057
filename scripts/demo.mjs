// Starts the application with its demonstration estate: installs, builds, prepares and runs everything, and prints one
// address. Uses nothing but Node.js itself until the packages are installed.
import { fork } from "node:child_process";
import { createHash, randomBytes } from "node:crypto";
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { createServer } from "node:net";
import { dirname, join, resolve } from "node:path";
import { parseArgs } from "node:util";
import { buildIfStale, install, root } from "./prepare.mjs";

const USAGE = `npm run demo -- [options]

  --port N          port of the pages, 7070 if left out
  --fresh           begin anew; what the demo kept before is deleted
  --scenario FILE   another stand-in estate, see docs/scenario.md; its set-up is read from FILE with -setup.json at its end
  --now INSTANT     start the clock there, for example 2026-03-17T10:00:00Z
  --pace N          let the clock run N times as fast, 1 to 60
  --scale N         copy hosts until the estate has N of them, up to 2,000
  --history SPAN    how much past to live through at first, P14D if left out
  --control-port N  port of the stand-ins' own door, a free one if left out
  --otlp-port N     port at which OTLP is received, 4318 if left out; 0 for none
  --grpc-port N     port at which OTLP is received by gRPC, 4317 if left out; 0 for none
  --syslog-port N   port at which syslog is received, 5514 if left out; 0 for none
  --trap-port N     port at which notifications of SNMP are received, 1162 if left out; 0 for none
  --data DIR        where to keep everything, data/demo if left out`;

function refuse(message) {
  process.stderr.write(`${message}\n`);
  process.exit(2);
}

function options() {
  try {
    return parseArgs({
      options: {
        port: { type: "string", default: "7070" },
        fresh: { type: "boolean", default: false },
        scenario: { type: "string" },
        now: { type: "string" },
        pace: { type: "string", default: "1" },
        scale: { type: "string" },
        history: { type: "string", default: "P14D" },
        "control-port": { type: "string" },
        "otlp-port": { type: "string", default: "4318" },
        "trap-port": { type: "string", default: "1162" },
        "grpc-port": { type: "string", default: "4317" },
        "syslog-port": { type: "string", default: "5514" },
        data: { type: "string", default: join(root, "data", "demo") },
        help: { type: "boolean", default: false },
      },
    }).values;
  } catch (error) {
    return refuse(`${error.message}\n\n${USAGE}`);
  }
}

const given = options();
if (given.help) {
  process.stdout.write(`${USAGE}\n`);
  process.exit(0);
}
const [major, minor] = process.versions.node.split(".").map(Number);
if (major < 20 || (major === 20 && minor < 11))
  refuse(`Holotaxis needs Node.js 20.11 or later; this is ${process.versions.node}.`);
const port = Number(given.port);
if (!Number.isInteger(port) || port < 1 || port > 65535)
  refuse(`“${given.port}” is not a port. Use a whole number from 1 to 65535.`);
const pace = Number(given.pace);
if (!(pace >= 1 && pace <= 60)) refuse(`“${given.pace}” is not a pace. Use a number from 1 to 60.`);
if (given.scale !== undefined && !(Number(given.scale) >= 1 && Number(given.scale) <= 2000))
  refuse(`“${given.scale}” is not a size. Use a whole number up to 2000.`);
const base =
  given.now === undefined
    ? Date.now()
    : Date.parse(/[TZ]/.test(given.now) && !/(Z|[+-]\d\d:\d\d)$/.test(given.now) ? `${given.now}Z` : given.now);
if (Number.isNaN(base)) refuse(`“${given.now}” is not an instant. Write it like 2026-03-17T10:00:00Z.`);
const scenario = resolve(given.scenario ?? join(root, "scenarios", "halvane.json"));
if (!existsSync(scenario)) refuse(`There is no scenario file ${scenario}.`);
await portIsFree(port);

function portIsFree(wanted) {
  return new Promise((done) => {
    const probe = createServer();
    probe.once("error", () =>
      refuse(
        `Port ${wanted} is in use: Holotaxis or something else runs there already. Stop it, or choose another with --port.`,
      ),
    );
    probe.listen(wanted, "127.0.0.1", () => probe.close(done));
  });
}

function freePort() {
  return new Promise((done) => {
    const probe = createServer();
    probe.listen(0, "127.0.0.1", () => {
      const { port: found } = probe.address();
      probe.close(() => done(found));
    });
  });
}

try {
  install();
  await buildIfStale();
} catch (error) {
  refuse(error.message);
}

const data = resolve(given.data);
if (given.fresh) rmSync(data, { recursive: true, force: true });
mkdirSync(data, { recursive: true, mode: 0o700 });

// What the stand-ins' past counts from stays the same from one start to the next.
const anchorFile = join(data, "standins.json");
const fingerprint = createHash("sha256")
  .update(readFileSync(scenario))
  .update(String(given.scale ?? ""))
  .digest("hex");
if (existsSync(anchorFile)) {
  const before = JSON.parse(readFileSync(anchorFile, "utf8"));
  if (before.fingerprint !== fingerprint)
    refuse(
      `What is kept in ${data} was made with another scenario or size. Begin anew with --fresh, or keep both with --data DIR.`,
    );
} else writeFileSync(anchorFile, JSON.stringify({ anchorMs: base, fingerprint }));
const { anchorMs } = JSON.parse(readFileSync(anchorFile, "utf8"));

/** A key of the demo's own, made at its first start, in the form ssh2 reads. */
async function demoKey() {
  const file = join(data, "demo-key");
  if (!existsSync(file)) {
    const { makeKeyPair } = await import("../standins/keys.mjs");
    const pair = makeKeyPair();
    writeFileSync(file, pair.private, { mode: 0o600 });
    writeFileSync(`${file}.pub`, pair.public);
  }
  return file;
}
const key = await demoKey();

/** Something that the stand-ins prove themselves with, made at the demo's first start. */
function secretFile(name) {
  const file = join(data, name);
  if (!existsSync(file)) writeFileSync(file, `${randomBytes(24).toString("base64url")}\n`, { mode: 0o600 });
  return file;
}
const sendToken = secretFile("send-token");
const enrolCode = secretFile("enrol-code");

/** The set-up beside the scenario, with the credential of the stand-ins' hosts. */
function setupFile() {
  const file = scenario.replace(/\.json$/, "-setup.json");
  if (!existsSync(file)) return undefined;
  const setup = JSON.parse(readFileSync(file, "utf8"));
  if (given.scale) widen(setup);
  // A list lies beside it, as people keep one.
  for (const source of setup.sources.filter((one) => one.listFile)) {
    const beside = join(dirname(file), source.listFile);
    source.list = readFileSync(existsSync(beside) ? beside : join(root, "scenarios", source.listFile), "utf8");
    delete source.listFile;
  }
  // The authority of the stand-ins' certificates is this demo's own.
  for (const source of setup.sources.filter((one) => one.authority === "standins"))
    source.authority = readFileSync(`${authority}.pem`, "utf8");
  for (const channel of setup.telling?.channels ?? [])
    if (channel.settings.authority === "standins")
      channel.settings.authority = readFileSync(`${authority}.pem`, "utf8");
  // The key that opens the stand-ins' hosts was made by this demo.
  setup.credentials = [
    ...(setup.credentials ?? []),
    {
      name: "Operator key",
      kind: "ssh-key",
      destinations: setup.sources.flatMap((source) => source.ranges ?? []).join(", "),
      fields: { user: "operator" },
      files: { privateKey: key },
      sources: ["*"],
    },
  ];
  const whole = join(data, "setup.json");
  writeFileSync(whole, JSON.stringify(setup), { mode: 0o600 });
  return whole;
}

/** Adds the ranges of a larger estate's copies. */
function widen(setup) {
  const ranges = setup.sources.filter((source) => source.ranges);
  ranges.forEach((source, index) => {
    source.ranges += `, 127.${40 + index}.0.1-127.${40 + index}.${Math.floor(Number(given.scale) / ranges.length / 250) + 1}.250`;
    if (Number(given.scale) > 200) source.pollSeconds = 60;
  });
}

// The drills' judge speaks to the stand-ins' own door.
const control = given["control-port"] === undefined ? await freePort() : Number(given["control-port"]);
const machine = Date.now();
const clock = [
  "--base",
  String(given.now === undefined ? machine : base),
  "--machine",
  String(machine),
  "--pace",
  String(pace),
];
const authority = join(data, "standin-authority.json");
const run = (file, args) =>
  fork(join(root, "build", "run", file), args, {
    cwd: root,
    stdio: ["ignore", "inherit", "inherit", "ipc"],
    execArgv: ["--enable-source-maps", "--max-old-space-size=512"],
    env: { ...process.env, NODE_ENV: "production" },
  });
const children = [];
let leaving = false;

function ready(child, name) {
  return new Promise((done) => {
    child.on("message", (message) => message?.ready && done());
    child.on("exit", (code) => {
      if (leaving) return;
      process.stderr.write(`${name} ended by itself${code ? ` with code ${code}` : ""}.\n`);
      void leave(code || 1);
    });
  });
}

/** Ends everything in order: first the server, which writes what it holds, then the stand-ins. */
async function leave(code) {
  if (leaving) return;
  leaving = true;
  for (const child of [...children].reverse()) {
    if (child.exitCode !== null || child.signalCode !== null) continue;
    const gone = new Promise((done) => child.once("exit", done));
    child.kill("SIGTERM");
    const late = setTimeout(() => child.kill("SIGKILL"), 8000);
    await gone;
    clearTimeout(late);
  }
  process.exit(code);
}
process.on("SIGINT", () => {
  process.stdout.write("\nstopping …\n");
  void leave(0);
});
process.on("SIGTERM", () => void leave(0));

const standins = run("standins/main.js", [
  "--scenario",
  scenario,
  "--control",
  String(control),
  "--keys",
  join(data, "standin-host-keys.json"),
  "--demo-key",
  `${key}.pub`,
  "--token-file",
  sendToken,
  "--enrol-code-file",
  enrolCode,
  "--authority",
  authority,
  "--agent-tokens",
  join(data, "standin-agent-tokens.json"),
  "--anchor",
  String(anchorMs),
  ...clock,
  ...(given.scale ? ["--scale", given.scale] : []),
  ...(given["otlp-port"] === "0" ? [] : ["--otlp", `http://127.0.0.1:${given["otlp-port"]}`]),
  ...(given["syslog-port"] === "0" ? [] : ["--syslog", given["syslog-port"]]),
  ...(given["trap-port"] === "0" ? [] : ["--traps", given["trap-port"]]),
]);
children.push(standins);
await ready(standins, "The stand-in estate");
const setup = setupFile();
if (!existsSync(join(data, "holotaxis.db")))
  process.stdout.write("first start: the estate is swept and its past replayed …\n");
const server = run("server/main.js", [
  "--root",
  root,
  "--data",
  data,
  "--port",
  String(port),
  "--standins",
  `http://127.0.0.1:${control}`,
  "--history",
  given.history,
  "--otlp-port",
  given["otlp-port"],
  "--grpc-port",
  given["grpc-port"],
  "--trap-port",
  given["trap-port"],
  "--syslog-port",
  given["syslog-port"],
  "--receive-token-file",
  sendToken,
  "--enrol-code-file",
  enrolCode,
  ...clock,
  ...(setup ? ["--setup", setup] : []),
]);
children.push(server);
await ready(server, "Holotaxis");
process.stdout.write(`\nHolotaxis is at http://127.0.0.1:${port}\nCtrl+C stops everything.\n`);
