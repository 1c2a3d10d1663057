import { createHash } from "node:crypto";
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { arch, hostname, networkInterfaces } from "node:os";
import { join } from "node:path";
import { parseArgs } from "node:util";
import { Actor, readActions } from "./actions";
import { enrol } from "./enrol";
import { Inventories } from "./inventory";
import { measureContainer, measureMachine } from "./measure";
import { AGENT_NAME, AGENT_VERSION, metricsRequest, type Resource } from "./otlp";
import { Outbox } from "./outbox";
import { readOsRelease, readVersion } from "./proc";
import { Reporter } from "./reporter";
import { lookAt, type Reading } from "./reading";

const USAGE = `The Linux host agent of Holotaxis: measures this machine and its containers, and reports them by OTLP over HTTP.

  --to URL         where OTLP is taken, http://127.0.0.1:4318 if left out
  --every SECONDS  how often, 15 if left out
  --programs SECONDS  how often it reports what runs here and who talks to whom, 60 if left out, 0 for never
  --name NAME      what this machine is called, its host name if left out
  --site SITE      where it stands
  --token-file F   where the token of this host's agent is kept
  --enrol CODE     fetch that token with an enrolment code, once; CODE may be @FILE
  --enrol-only     end as soon as the token is kept
  --actions FILE   what this host's owner allows it to do when asked; nothing if left out
  --root DIR       where /proc and /sys are seen, / if left out; for running in a container
  --once           look twice, a second apart, write the report to the output and end`;

function refuse(message: string): never {
  process.stderr.write(`${message}\n`);
  process.exit(2);
}

function options() {
  try {
    return parseArgs({
      options: {
        to: { type: "string", default: "http://127.0.0.1:4318" },
        every: { type: "string", default: "15" },
        programs: { type: "string", default: "60" },
        name: { type: "string" },
        site: { type: "string" },
        "token-file": { type: "string" },
        enrol: { type: "string" },
        "enrol-only": { type: "boolean", default: false },
        actions: { type: "string" },
        root: { type: "string", default: "/" },
        once: { type: "boolean", default: false },
        help: { type: "boolean", default: false },
      },
    }).values;
  } catch (error) {
    return refuse(`${error instanceof Error ? error.message : error}\n\n${USAGE}`);
  }
}

const given = options();
if (given.help) {
  process.stdout.write(`${USAGE}\n`);
  process.exit(0);
}
const every = Number(given.every);
if (!Number.isInteger(every) || every < 1 || every > 3600)
  refuse(`“${given.every}” is not an interval. Use whole seconds from 1 to 3600.`);
const programs = Number(given.programs);
if (!Number.isInteger(programs) || programs < 0 || programs > 3600)
  refuse(`“${given.programs}” is not an interval. Use whole seconds up to 3600, or 0 for never.`);
if (!/^https?:\/\/[^/]/.test(given.to)) refuse(`“${given.to}” is not an address. Write it like http://127.0.0.1:4318.`);
if (!existsSync(join(given.root, "proc", "stat")))
  refuse(
    `There is no ${join(given.root, "proc", "stat")}: this agent is for Linux. Where /proc is mounted elsewhere, say so with --root.`,
  );
const fileText = (file: string) => (existsSync(file) ? readFileSync(file, "utf8") : "");
const tokenFile = given["token-file"];
let token = tokenFile === undefined ? undefined : fileText(tokenFile).trim() || undefined;
if (given.enrol !== undefined && tokenFile === undefined)
  refuse("Say where the token is to be kept: --token-file, a file that only this user can read.");
if (tokenFile !== undefined && token === undefined && given.enrol === undefined)
  refuse(`The file ${tokenFile} is missing or empty. Fetch a token with --enrol CODE.`);

const ACT_EVERY_MS = 5_000;
const allowed = actionsIn(given.actions);
if (allowed && tokenFile === undefined)
  refuse("Actions are handed out by an enrolled agent's own token only: --token-file.");

function actionsIn(file: string | undefined) {
  if (file === undefined) return undefined;
  try {
    return readActions(file);
  } catch (error) {
    return refuse(error instanceof Error ? error.message : String(error));
  }
}

/** Bridges inside a host have the same addresses on many. */
const isInside = (interfaceName: string) =>
  /^(docker|br-|virbr|lxcbr|lxdbr|podman|cni|flannel|cali|veth)/.test(interfaceName);
const ownAddresses = () =>
  Object.entries(networkInterfaces())
    .flatMap(([name, list]) => (isInside(name) ? [] : (list ?? [])))
    .flatMap((one) => (one.internal || one.address.startsWith("fe80:") ? [] : [one.address]))
    .sort();
const etc = (name: string) => fileText(join(given.root, "etc", name));
const machineId = etc("machine-id").trim();
const first = lookAt(given.root, { monotonicMs: performance.now(), atMs: Date.now() });
const name = given.name ?? (etc("hostname").trim() || hostname());
const machine: Resource = {
  "host.name": name,
  // machine-id(5) asks not to show the id itself.
  ...(machineId
    ? { "host.id": createHash("sha256").update(`${AGENT_NAME} ${machineId}`).digest("hex").slice(0, 32) }
    : {}),
  "host.arch": arch(),
  "host.ip": ownAddresses().join(", "),
  "host.processors": String(first.processors.cores.length),
  "host.memory.bytes": String(first.memory.totalBytes),
  "os.type": "linux",
  "os.description": [readOsRelease(etc("os-release")), readVersion(fileText(join(given.root, "proc", "version")))]
    .filter(Boolean)
    .join(", "),
  "telemetry.distro.name": AGENT_NAME,
  "telemetry.distro.version": AGENT_VERSION,
  "report.seconds": String(every),
  ...(given.site ? { site: given.site } : {}),
};

/** What is sent after a look, by the one before it. */
function reportOf(before: Reading | undefined, now: Reading, more: { metric: string; value: number }[]) {
  const seconds = before ? (now.monotonicMs - before.monotonicMs) / 1000 : 0;
  return metricsRequest(
    [
      {
        resource: machine,
        points: [...measureMachine(before, now), ...more.map((one) => ({ ...one, instance: "", unit: "1" }))],
      },
      ...now.containers.map((container) => ({
        resource: {
          "container.id": container.id,
          ...(container.process ? { "process.executable.name": container.process } : {}),
          "host.name": name,
          "telemetry.distro.name": AGENT_NAME,
        },
        points: measureContainer(
          before?.containers.find((one) => one.id === container.id),
          container,
          seconds,
        ),
      })),
    ],
    now.atMs,
  );
}

const look = () => lookAt(given.root, { monotonicMs: performance.now(), atMs: Date.now() });

if (given.once) {
  await new Promise((done) => setTimeout(done, 1000));
  const report = reportOf(first, look(), []) as object;
  const runs = programs > 0 ? { runs: new Inventories(given.root).all(first, ownAddresses()) } : {};
  process.stdout.write(`${JSON.stringify({ ...report, ...runs }, null, 2)}\n`);
  process.exit(0);
}

const to = given.to.replace(/\/+$/, "");
if (token === undefined && given.enrol !== undefined && tokenFile !== undefined) {
  const code = given.enrol.startsWith("@") ? fileText(given.enrol.slice(1)).trim() : given.enrol;
  const enrolled = await enrol(to, { code, hostName: name, hostId: machine["host.id"] ?? "" }, fetch);
  if (enrolled.token === undefined) refuse(enrolled.problem);
  ({ token } = enrolled);
  try {
    writeFileSync(tokenFile, `${token}\n`, { mode: 0o600 });
  } catch (error) {
    refuse(`The token cannot be kept in ${tokenFile}: ${error instanceof Error ? error.message : error}`);
  }
  process.stdout.write(`Enrolled; the token is kept in ${tokenFile}.\n`);
}
if (given["enrol-only"]) process.exit(0);
const outbox = new Outbox({
  to,
  ...(token ? { token } : {}),
  most: Math.ceil(3600 / every),
  now: () => performance.now(),
  random: Math.random,
  post: fetch,
  say: (sentence) => process.stderr.write(`${sentence}\n`),
});
process.stdout.write(
  `${name} is measured every ${every} s and reported to ${given.to}, ${first.containers.length} containers with it.\n`,
);
const inventories = new Inventories(given.root);
const reporter = new Reporter({
  to,
  ...(token ? { token } : {}),
  host: {
    hostName: name,
    hostId: machine["host.id"] ?? "",
    everySeconds: programs,
    ...(given.site ? { site: given.site } : {}),
  },
  read: () => inventories.all(before, ownAddresses()),
  now: () => performance.now(),
  post: fetch,
  say: (sentence) => process.stderr.write(`${sentence}\n`),
});
const actor =
  allowed && token
    ? new Actor({
        to,
        token,
        host: { hostName: name, hostId: machine["host.id"] ?? "" },
        actions: allowed,
        now: () => performance.now(),
        post: fetch,
        say: (sentence) => process.stdout.write(`${sentence}\n`),
      })
    : undefined;
const actTimer = actor && setInterval(() => void actor.look(), ACT_EVERY_MS);
let before = first;
let telling = false;
const tell = () => {
  if (telling) return;
  telling = true;
  void reporter.report().finally(() => (telling = false));
};
const tellTimer = programs > 0 ? setInterval(tell, programs * 1000) : undefined;
// Once it is known by its first report.
if (programs > 0) setTimeout(tell, Math.min(every, programs) * 1000 + 500);
const timer = setInterval(() => {
  const now = look();
  outbox.put(
    reportOf(before, now, [
      { metric: "agent.waiting", value: outbox.length },
      { metric: "agent.dropped", value: outbox.dropped },
    ]),
  );
  before = now;
  void outbox.send();
}, every * 1000);
const leave = () => {
  clearInterval(timer);
  clearInterval(tellTimer);
  clearInterval(actTimer);
  // What was just measured gets a last chance.
  void outbox.send().finally(() => process.exit(0));
};
process.on("SIGTERM", leave);
process.on("SIGINT", leave);
