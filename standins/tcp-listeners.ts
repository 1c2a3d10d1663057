import {
  createServer as createHttpServer,
  type IncomingMessage,
  type Server as HttpServer,
  type ServerResponse,
} from "node:http";
import { createServer as createTlsServer, type Server as TlsServer } from "node:https";
import { createServer, type Server } from "node:net";
import type { Server as SshServer } from "ssh2";
import type { Authority, Identity } from "./certificates";
import type { ScenarioListener } from "./scenario/schema";
import type { Station } from "./world/layout";
import type { Estate } from "./seen/estate";
import type { HostView } from "./seen/host-view";

const DAY_MS = 86_400_000;

/** A set of listeners that follow what runs on a host: they open when a process starts and close when it stops. */
export class HostListeners {
  private readonly open = new Map<number, Server | HttpServer>();
  private readonly sockets = new Set<{ destroy(): void }>();
  private sshOpen = false;

  constructor(
    private readonly estate: Estate,
    private readonly host: HostView,
    private readonly now: () => number,
    private readonly ssh?: { port: number; server: SshServer },
    private readonly authority?: Authority,
  ) {}

  /** Opens and closes ports until they are what the model says. */
  async follow(): Promise<void> {
    await this.followSsh();
    const wanted = new Map(this.host.openListeners(this.now()).map((one) => [one.listens.port, one]));
    for (const [port, server] of this.open)
      if (!wanted.has(port)) {
        this.open.delete(port);
        server.close();
        for (const socket of this.sockets) socket.destroy();
      }
    await this.followCertificates(wanted);
    for (const [port, { station, listens }] of wanted) {
      if (this.open.has(port)) continue;
      const server =
        listens.speaks === "http"
          ? await this.httpServer(station, listens)
          : createServer((socket) => {
              socket.on("error", () => undefined);
              socket.setTimeout(20_000, () => socket.destroy());
              if (listens.speaks === "banner" && listens.banner) socket.write(`${listens.banner}\r\n`);
              socket.on("data", () => undefined);
            });
      this.open.set(port, server);
      server.on("connection", (socket) => {
        this.sockets.add(socket);
        socket.on("close", () => this.sockets.delete(socket));
      });
      await new Promise<void>((resolve, reject) => {
        server.once("error", (error) => {
          this.open.delete(port);
          reject(error);
        });
        server.listen(port, this.host.address, resolve);
      });
      server.on("error", () => undefined);
    }
  }

  private async followSsh(): Promise<void> {
    const up = this.host.answers(this.now());
    if (!this.ssh || up === this.sshOpen) return;
    this.sshOpen = up;
    const { server, port } = this.ssh;
    if (!up) server.close();
    else
      await new Promise<void>((resolve, reject) => {
        server.once("error", (error: Error) => {
          this.sshOpen = false;
          reject(error);
        });
        server.listen(port, this.host.address, () => {
          server.removeAllListeners("error");
          server.on("error", () => undefined);
          resolve();
        });
      });
  }

  /** What TLS servers present, by port, with whether it has expired by a fault. */
  private readonly presented = new Map<number, boolean>();

  private identityOf({ certificateDays = 0 }: ScenarioListener, hasExpired: boolean): Promise<Identity> | undefined {
    const until = hasExpired ? this.now() - DAY_MS : this.estate.anchorMs + certificateDays * DAY_MS;
    return this.authority?.issue(this.host.name, until);
  }

  /** Lets servers present what they have now: a fault lets a certificate expire, a repair renews it. */
  private async followCertificates(wanted: ReadonlyMap<number, { station: Station; listens: ScenarioListener }>) {
    for (const [port, { station, listens }] of wanted) {
      const server = this.open.get(port);
      const hasExpired = this.host.hasExpired(station);
      if (listens.certificateDays === undefined || !server || this.presented.get(port) === hasExpired) continue;
      this.presented.set(port, hasExpired);
      const identity = await this.identityOf(listens, hasExpired);
      if (identity && "setSecureContext" in server) (server as TlsServer).setSecureContext(identity);
    }
  }

  private async httpServer(
    { spec: { name: processName } }: Station,
    listens: ScenarioListener,
  ): Promise<HttpServer | TlsServer> {
    const { title } = listens;
    const answer = (request: IncomingMessage, response: ServerResponse) => {
      const station = this.host.station(processName);
      const version = station ? this.host.versionOf(station, this.now()) : "0";
      response.setHeader("Server", `${processName}/${version}`);
      const path = (request.url ?? "/").split("?")[0];
      if (path === "/metrics") {
        response.setHeader("Content-Type", "application/openmetrics-text; version=1.0.0; charset=utf-8");
        response.end(this.figures(request.socket.localPort ?? 0, processName));
      } else if (path === "/") {
        response.setHeader("Content-Type", "text/html; charset=utf-8");
        response.end(
          title
            ? `<!doctype html><html lang="en"><head><title>${title}</title></head><body><h1>${title}</h1></body></html>`
            : "ok",
        );
      } else {
        response.statusCode = 404;
        response.end("not found");
      }
    };
    const identity = listens.certificateDays === undefined ? undefined : await this.identityOf(listens, false);
    if (identity) this.presented.set(listens.port, false);
    return identity ? createTlsServer(identity, answer) : createHttpServer(answer);
  }

  /** What the process says of itself, and the business figures of this host's port, in the OpenMetrics text format. */
  private figures(port: number, processName: string): string {
    const at = this.now();
    const lines: string[] = [];
    const used = this.host.poll(at).processes.find((one) => one.name === processName);
    if (used)
      lines.push(
        "# TYPE process_resident_memory_bytes gauge",
        "# UNIT process_resident_memory_bytes bytes",
        `process_resident_memory_bytes ${used.memoryBytes}`,
        "# TYPE process_cpu_seconds counter",
        "# UNIT process_cpu_seconds seconds",
        `process_cpu_seconds_total ${used.cpuHundredths / 100}`,
      );
    for (const figure of this.estate.scenario.figures) {
      if (figure.host !== this.host.name || figure.port !== port) continue;
      const value = this.estate.figure(figure.metric, at);
      if (value === undefined) continue;
      lines.push(
        `# TYPE ${figure.metric} gauge`,
        `# HELP ${figure.metric} ${figure.help}`,
        `${figure.metric} ${value}`,
      );
    }
    return `${lines.join("\n")}\n# EOF\n`;
  }

  close(): void {
    for (const server of this.open.values()) server.close();
    for (const socket of this.sockets) socket.destroy();
    this.open.clear();
  }
}
