import { parentPort, workerData, type MessagePort } from "node:worker_threads";
import type { Server as TlsServer } from "node:https";
import { readClock, type ClockSetting } from "#core/time/clock";
import { Certificate } from "../http/certificate";
import { IngestChannel } from "../receivers/channel";
import { GrpcReceiver } from "../receivers/grpc";
import { receiveOtlp } from "../receivers/http";
import { SenderTokens } from "../receivers/sender-tokens";
import { Scraper } from "../receivers/scraper";
import { SyslogReceiver } from "../receivers/syslog";
import { TrapReceiver } from "../receivers/traps";
import type { Settings } from "../settings";

const { settings, engine } = workerData as { settings: Settings; engine: MessagePort };
const parent = parentPort;
if (!parent) throw new Error("The receivers run on a worker thread.");

const now = () => readClock(settings.clock, Date.now());
const survive = (error: unknown) =>
  parent.postMessage({ kind: "fault", fault: error instanceof Error ? (error.stack ?? error.message) : String(error) });
process.on("uncaughtException", survive);
process.on("unhandledRejection", survive);

const channel = new IngestChannel(engine, now, survive);
const sentence = (what: string, port: number, option: string, error: unknown) => {
  const code = (error as { code?: string }).code;
  return code === "EADDRINUSE"
    ? `Port ${port} for ${what} is in use on ${settings.host}. Stop what runs there, or choose another with ${option} (0 for none).`
    : code === "EACCES"
      ? `Port ${port} for ${what} needs rights this user does not have. Choose one from 1024 up with ${option}.`
      : `Cannot listen for ${what} on ${settings.host}:${port}: ${error instanceof Error ? error.message : error}.`;
};

const tokens = new SenderTokens(settings.receiveFromAnyone ?? false, Date.now);
channel.onTokens = (list) => tokens.take(list);
const certificate = settings.tls && new Certificate(settings.tls.cert, settings.tls.key, survive);
const http = receiveOtlp(channel, tokens, settings.publicNames, certificate?.current, settings.root);
if (certificate) certificate.follow(http as TlsServer);
const grpc = new GrpcReceiver(channel, tokens, certificate?.current);
const syslog = new SyslogReceiver(channel, now);
const traps = new TrapReceiver(channel, now);
channel.onTrapUsers = (users) => traps.allow(users);
const scraper = new Scraper(channel, now);
channel.onTargets = (targets) => scraper.follow(targets);
try {
  if (settings.otlpPort)
    await new Promise<void>((resolve, reject) => {
      http.once("error", (error) => reject(new Error(sentence("OTLP", settings.otlpPort, "--otlp-port", error))));
      http.listen(settings.otlpPort, settings.host, resolve);
    });
  if (settings.grpcPort)
    await grpc.listen(settings.host, settings.grpcPort).catch((error: unknown) => {
      throw new Error(sentence("OTLP by gRPC", settings.grpcPort, "--grpc-port", error));
    });
  if (settings.syslogPort)
    await syslog.listen(settings.host, settings.syslogPort).catch((error: unknown) => {
      throw new Error(sentence("syslog", settings.syslogPort, "--syslog-port", error));
    });
  if (settings.trapPort)
    await traps.listen(settings.host, settings.trapPort).catch((error: unknown) => {
      throw new Error(sentence("notifications of SNMP", settings.trapPort, "--trap-port", error));
    });
  parent.postMessage({ kind: "ready" });
} catch (error) {
  parent.postMessage({ kind: "refused", message: error instanceof Error ? error.message : String(error) });
}

const figures = setInterval(() => {
  channel.tellFigures([...scraper.states.values()]);
  channel.tellUsed(tokens.takeUsed());
}, 2000);

parent.on("message", async (message: unknown) => {
  if (typeof message === "object" && message !== null && "clock" in message) {
    settings.clock = message.clock as ClockSetting;
    return;
  }
  if (message !== "close") return;
  clearInterval(figures);
  scraper.close();
  grpc.close();
  http.close();
  http.closeIdleConnections();
  if (settings.syslogPort) await syslog.close();
  if (settings.trapPort) await traps.close();
  channel.tellFigures([]);
  parent.postMessage({ kind: "closed" });
  parent.close();
  engine.close();
  http.closeAllConnections();
});
