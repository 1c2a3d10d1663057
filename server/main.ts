import { mkdirSync, readFileSync, statfsSync } from "node:fs";
import { createServer, type RequestListener } from "node:http";
import { createServer as createTlsServer, type Server as TlsServer } from "node:https";
import { cpus } from "node:os";
import { join, resolve } from "node:path";
import { fileURLToPath } from "node:url";
import pino from "pino";
import { Piscina } from "piscina";
import { destinationsProblem } from "#core/estate/destinations";
import { readClock } from "#core/time/clock";
import { DAY_MS, parseDurationMs, parseInstant } from "#core/time/windows";
import { readOptions, USAGE } from "./options";
import { makeApp } from "./http/app";
import { Certificate } from "./http/certificate";
import { Door } from "./http/door";
import { gather, type Question, type Reply } from "./http/gather";
import { HostNames, isLoopback, written } from "./http/host-names";
import { kitCatalogue } from "./kits/kits";
import { LiveUpdates } from "./http/live";
import { storeFile, type Settings } from "./settings";
import { uploadsOf } from "./spend/desk";
import { PersonError } from "./store/database";
import { EngineClient } from "./threads/engine-client";
import { Workbench } from "./workbench/workbench";
import { ReceiverClient } from "./threads/receiver-client";

const values = readOptions(process.argv.slice(2));
if (typeof values === "string") {
  process.stderr.write(values);
  process.exit(2);
}
if (values.help) {
  process.stdout.write(USAGE);
  process.exit(0);
}

// What is written here is for its owner only.
process.umask(0o077);

const log = pino({ level: process.env.LOG_LEVEL ?? "warn" }, pino.destination(2));

function refuse(message: string): never {
  process.stderr.write(`${message}\n`);
  process.exit(2);
}

function portFrom(text: string, least: 0 | 1): number {
  const given = Number(text);
  if (!Number.isInteger(given) || given < least || given > 65_535)
    refuse(`“${text}” is not a port. Use a whole number from ${least} to 65535.`);
  return given;
}

/** The token in a file, without the white space around it. */
function tokenOf(file: string, option: string): string {
  let token = "";
  try {
    token = readFileSync(file, "utf8").trim();
  } catch {
    refuse(`The file ${file} of ${option} cannot be read.`);
  }
  if (token.length < 16)
    refuse(`What stands in ${file} is too short: use at least 16 characters that nobody can guess.`);
  return token;
}

function allowList(text: string): string {
  const problem = destinationsProblem(text);
  return problem === undefined ? text : refuse(`--read-only-from: ${problem}`);
}

const port = portFrom(values.port, 1);
const machineMs = Number(values.machine ?? Date.now());
const baseMs = values.base ? Number(values.base) : values.now ? parseInstant(values.now) : machineMs;
if (baseMs === undefined) refuse(`“${values.now}” is not an instant. Write it like 2026-03-17T10:00:00Z.`);
const settings: Settings = {
  root: resolve(values.root),
  data: resolve(values.data),
  host: values.host,
  publicNames: values["public-name"],
  port,
  otlpPort: portFrom(values["otlp-port"], 0),
  grpcPort: portFrom(values["grpc-port"], 0),
  trapPort: portFrom(values["trap-port"], 0),
  syslogPort: portFrom(values["syslog-port"], 0),
  ...(values["receive-token-file"]
    ? { receiveToken: tokenOf(resolve(values["receive-token-file"]), "--receive-token-file") }
    : {}),
  ...(values["tls-cert"] && values["tls-key"]
    ? { tls: { cert: resolve(values["tls-cert"]), key: resolve(values["tls-key"]) } }
    : {}),
  behindProxy: values["behind-proxy"],
  ...(values["read-only-from"] === undefined ? {} : { readOnlyFrom: allowList(values["read-only-from"]) }),
  receiveFromAnyone: values["receive-without-token"],
  ...(values["enrol-code-file"] ? { enrolCode: tokenOf(resolve(values["enrol-code-file"]), "--enrol-code-file") } : {}),
  clock: { baseMs, machineMs, pace: Number(values.pace) },
  clockSet: values.base !== undefined || values.now !== undefined || values.pace !== "1",
  ...(values.standins ? { standins: values.standins } : {}),
  ...(values.setup ? { setup: resolve(values.setup) } : {}),
  historyMs: parseDurationMs(values.history) ?? 14 * DAY_MS,
};

if ((values["tls-cert"] === undefined) !== (values["tls-key"] === undefined))
  refuse("TLS needs both: --tls-cert FILE and --tls-key FILE.");
if (settings.tls === undefined && !settings.behindProxy && !isLoopback(settings.host))
  refuse(
    `With --host ${settings.host} passwords and tokens would go over the network in the clear. Give --tls-cert and --tls-key, or say --behind-proxy where a proxy does TLS.`,
  );
let certificate: Certificate | undefined;
try {
  certificate = settings.tls && new Certificate(settings.tls.cert, settings.tls.key, (sentence) => log.warn(sentence));
} catch (error) {
  refuse(error instanceof Error ? error.message : String(error));
}
const isSecure = certificate !== undefined || (settings.behindProxy ?? false);
const hostNames = new HostNames(settings.host, port, settings.publicNames);
if (hostNames.isEmpty)
  refuse(
    `With --host ${settings.host} every address is listened on. Say under which name people open the pages: --public-name ops.example, once for each name.`,
  );
const started = Date.now();
try {
  mkdirSync(settings.data, { recursive: true, mode: 0o700 });
} catch {
  refuse(`The data folder ${settings.data} cannot be made. Choose another with --data.`);
}
const disk = statfsSync(settings.data);
if (disk.bavail * disk.bsize < 200 * 1024 * 1024)
  refuse(`Under 200 MB are free where ${settings.data} lies. Free some space, or choose another folder with --data.`);

const live = new LiveUpdates();
// The port is taken before anything is prepared, so that a second start says so at once.
let progress = "Holotaxis is starting.";
const stillPreparing: RequestListener = (_request, response) => {
  response.writeHead(503, {
    "Content-Type": "text/html; charset=utf-8",
    "Retry-After": "2",
    "Content-Security-Policy": "default-src 'none'",
  });
  response.end(
    `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta http-equiv="refresh" content="2"><title>Holotaxis is starting</title></head><body><main><h1>Nearly there</h1><p>${progress.replaceAll(/[<>&]/g, "")}</p><p>This page looks again by itself.</p></main></body></html>`,
  );
};
const server = certificate ? createTlsServer(certificate.current, stillPreparing) : createServer(stillPreparing);
certificate?.follow(server as TlsServer);
await new Promise<void>((done) => {
  server.once("error", (error: NodeJS.ErrnoException) => {
    refuse(
      error.code === "EADDRINUSE"
        ? `Port ${port} is in use on ${settings.host}: Holotaxis or something else runs there already. Stop it, or choose another with --port.`
        : `Cannot listen on ${written(settings.host)}:${port}: ${error.message}.`,
    );
  });
  server.listen(port, settings.host, done);
});

const door = new Door(
  {
    look: (hash, machineMs) => ask("holder", { hash, machineMs }),
    tellSeen: (sessions, tokens) =>
      void engine
        .tell("seenPeople", sessions, tokens)
        .catch((error: unknown) => log.error({ err: error }, "sessions not kept")),
    machineNow: () => Date.now(),
  },
  port,
  isSecure,
  settings.behindProxy ?? false,
);
/** Requests whose questions may wait for a reading thread. */
const MOST_WAITING = 40;
const thread = (name: string) => new URL(`./${name}.js`, import.meta.url);
let wantedPace = settings.clock.pace;
const engine = new EngineClient(
  thread("engine-thread"),
  settings,
  (event) => {
    if (event.topic === "clock") {
      settings.clock = event.setting;
      wantedPace = event.wantedPace;
      receivers.setClock(event.setting);
      return live.send({ topic: "estate", atMs: event.setting.baseMs });
    }
    if (event.topic !== "people") return live.send(event);
    door.forget();
    void live.recheck();
  },
  (text) => {
    progress = `First start: ${text}.`;
    process.stdout.write(`  ${text}\n`);
  },
  (fault) => log.error({ fault }, "a piece of the engine's work failed"),
  (error) => {
    log.fatal({ err: error }, "the engine's thread died");
    process.exit(1);
  },
);
try {
  await engine.ready;
} catch (error) {
  refuse(error instanceof PersonError ? error.message : String(error));
}
const receivers = new ReceiverClient(thread("receiver-thread"), settings, engine, (fault) =>
  log.error({ fault }, "receiving failed"),
);
try {
  await receivers.ready;
} catch (error) {
  await engine.close();
  refuse(error instanceof Error ? error.message : String(error));
}
const READERS = Math.max(1, Math.min(3, cpus().length - 1));
const readers = new Piscina({
  filename: thread("reader").href,
  workerData: { file: storeFile(settings), root: settings.root },
  minThreads: 1,
  maxThreads: READERS,
  maxQueue: 500,
});
async function askAll(questions: Question[]): Promise<Reply[]> {
  // What would wait for seconds is told so at once.
  if (readers.queueSize > MOST_WAITING)
    throw new Response("Too much is asked at this moment. Load the page again in a few seconds.", {
      status: 429,
      headers: { "Retry-After": "2" },
    });
  return readers.run(questions);
}
const ask = gather(askAll, 1);
const workbench = new Workbench(fileURLToPath(thread("workbench-child")), storeFile(settings));
const now = () => readClock(settings.clock, Date.now());

const app = await makeApp({
  root: settings.root,
  clientFolder: join(settings.root, "build", "client"),
  serverBuild: join(settings.root, "build", "server", "index.js"),
  log,
  live,
  hostNames,
  parts: {
    ask,
    asker: () => gather(askAll, READERS),
    engine,
    runSql: workbench.run,
    door,
    isDemo: settings.standins !== undefined,
    isSecure,
  },
  holotaxis: {
    now,
    isDemo: settings.standins !== undefined,
    catalogue: kitCatalogue(settings.root),
    uploads: uploadsOf(settings.data),
    certificate: () => certificate?.state() ?? null,
    pace: () => settings.clock.pace,
    wantedPace: () => wantedPace,
    clockSet: settings.clockSet,
    receivePorts: {
      host: written(settings.host),
      otlp: settings.otlpPort,
      grpc: settings.grpcPort,
      syslog: settings.syslogPort,
      traps: settings.trapPort,
    },
    hasDrills: settings.standins !== undefined,
    root: settings.root,
  },
});
server.off("request", stillPreparing);
server.on("request", app);
server.requestTimeout = 30_000;
server.headersTimeout = 10_000;
const firstLink = await engine.tell("firstLink");
if (firstLink !== undefined)
  process.stdout.write(
    `\nNobody can sign in yet. The first administrator makes an account here, once, within a day:\n  ${isSecure ? "https" : "http"}://${settings.publicNames[0] ?? `${written(settings.host)}:${port}`}/join?code=${firstLink}\n\n`,
  );
process.stdout.write(`ready after ${((Date.now() - started) / 1000).toFixed(1)} s\n`);
process.send?.({ ready: true });

let leaving = false;
async function leave(): Promise<void> {
  if (leaving) return;
  leaving = true;
  server.close();
  live.close();
  server.closeIdleConnections();
  door.close();
  certificate?.close();
  await readers.close({ force: true }).catch(() => undefined);
  workbench.close();
  await receivers.close();
  await engine.close();
  process.exit(0);
}
process.on("SIGTERM", () => void leave());
process.on("SIGINT", () => void leave());
process.on("disconnect", () => void leave());
process.on("unhandledRejection", (error) => log.error({ err: error }, "a promise failed unheard"));
